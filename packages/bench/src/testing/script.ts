import { spawn } from 'node:child_process';
import { join } from 'node:path';

/** Runs a script of this checkout to its end; what it printed, or all that it said where it failed. */
export async function runScript(name: string, ...args: readonly string[]): Promise<string> {
  const script = join(__dirname, '../../../../scripts', name);
  const child = spawn(process.execPath, [script, ...args], { stdio: ['ignore', 'pipe', 'pipe'] });
  let [said, talk] = ['', ''];
  child.stdout.on('data', (text: Buffer) => (said += text.toString()));
  child.stderr.on('data', (text: Buffer) => (talk += text.toString()));
  const code = await new Promise((resolve) => child.once('exit', resolve));
  if (code !== 0) throw new Error(`${talk}${said}`);
  return said;
}
