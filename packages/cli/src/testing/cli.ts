import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const program = join(__dirname, '../../bin/tantamos.js');

export interface Said {
  readonly out: string;
  readonly err: string;
  readonly code: number | null;
}

/** The program itself, with a home folder of its own. */
export interface Cli {
  readonly home: string;
  (args: readonly string[], input?: string, env?: Record<string, string>): Promise<Said>;
  remove(): void;
}

/** Signed in as the demo's administrator. */
export async function openCli(base: string): Promise<Cli> {
  const home = mkdtempSync(join(tmpdir(), 'tantamos-cli-'));
  const run = (args: readonly string[], input = '', env: Record<string, string> = {}): Promise<Said> => {
    const child = spawn(process.execPath, [program, ...args], {
      env: { PATH: process.env.PATH, HOME: home, NO_COLOR: '1', ...env },
    });
    let [out, err] = ['', ''];
    child.stdout.on('data', (text: Buffer) => (out += text.toString()));
    child.stderr.on('data', (text: Buffer) => (err += text.toString()));
    child.stdin.on('error', () => {});
    child.stdin.end(input);
    return new Promise((resolve) => child.once('close', (code) => resolve({ out, err, code })));
  };
  const cli = Object.assign(run, { home, remove: () => rmSync(home, { recursive: true }) });
  const entered = await cli(['sign-in', '--service', base, '--login', 'sorrel', '--password-stdin'], 'meadow-admin\n');
  if (entered.code !== 0) throw new Error(entered.err);
  return cli;
}
