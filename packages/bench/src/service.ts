import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { Client } from '@tantamos/client';

/** The real program as a process of its own, so that its memory is its own. */
export interface Service {
  readonly base: string;
  readonly client: Client;
  readonly token: string;
  /** Highest resident memory so far, in bytes (source: VmHWM of /proc). */
  peakMemory(): number;
  stop(): Promise<void>;
}

/** The address for statements by hand: a superuser's. The script that starts the bench gives it, and the services' own addresses. */
export function adminUrl(): string {
  const url = process.env.TANTAMOS_ADMIN_URL;
  if (!url) throw new Error('Start it with npm run bench, chaos, siege or fuzz.');
  return url;
}

/** `beside`: another one on the same database, which has an administrator already. */
export async function startService(program: string, more: NodeJS.ProcessEnv = {}, beside?: Service): Promise<Service> {
  const child = spawn(process.execPath, [program], {
    env: { ...process.env, TANTAMOS_PORT: '0', ...more },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  // Whatever becomes of the bench, it does not stay.
  process.once('exit', () => child.kill('SIGKILL'));
  const { base, login, password } = await ready(child, beside !== undefined);
  const token = beside?.token ?? (await new Client({ base }).signIn({ login, password, kind: 'token' })).token!;
  return {
    base,
    client: new Client({ base, token }),
    token,
    peakMemory: () => Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'))![1]) * 1024,
    stop: () =>
      new Promise((resolve) => {
        child.once('exit', () => resolve());
        child.kill('SIGTERM');
      }),
  };
}

/** Address and first account, as the program prints them when it is ready. */
function ready(child: ChildProcess, isSecond: boolean): Promise<{ base: string; login: string; password: string }> {
  return new Promise((resolve, reject) => {
    let said = '';
    child.stdout!.on('data', (text: Buffer) => {
      said += text.toString();
      const pattern = isSecond ? /ready:\s+(http:\S+)/ : /ready:\s+(http:\S+)[\s\S]*?Sign in as\s+(\S+)\s+(\S+)/;
      const found = pattern.exec(said);
      if (found) resolve({ base: found[1]!, login: found[2] ?? '', password: found[3] ?? '' });
    });
    child.once('exit', (code) => reject(new Error(`The service ended with ${code}: ${said}`)));
  });
}
