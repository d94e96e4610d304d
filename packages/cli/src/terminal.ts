import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';

/** Between a shell and what npx starts stand so many processes at most. */
const mostBetween = 6;

/**
 * Which terminal this is: the shell or script that its commands are started by, or what TANTAMOS_TERMINAL says. Where npx starts
 * the program, its own processes, others each time, stand between: it is who started npx.
 */
export function terminalId(): string {
  const given = process.env.TANTAMOS_TERMINAL;
  if (given !== undefined) return given;
  if (process.env.npm_command === 'exec')
    for (let pid = process.ppid, n = 0; n < mostBetween; n++) {
      const found = processAt(pid);
      if (found === null) break;
      if (/\b(npm|npx)\b/.test(found.command)) return String(found.parent);
      pid = found.parent;
    }
  return String(process.ppid);
}

/** Parent and command of a process; null where they cannot be read. */
function processAt(pid: number): { readonly parent: number; readonly command: string } | null {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    const parent = Number(stat.slice(stat.lastIndexOf(')') + 2).split(' ')[1]);
    return { parent, command: readFileSync(`/proc/${pid}/cmdline`, 'utf8').split('\0').slice(0, 2).join(' ') };
  } catch {
    return fromPs(pid);
  }
}

/** The same where there is no /proc. */
function fromPs(pid: number): ReturnType<typeof processAt> {
  try {
    const said = execFileSync('ps', ['-o', 'ppid=,args=', '-p', String(pid)], { encoding: 'utf8' }).trim();
    const [, parent, command] = /^(\d+)\s+(.*)$/.exec(said)!;
    return { parent: Number(parent), command: command!.split(' ').slice(0, 2).join(' ') };
  } catch {
    return null;
  }
}
