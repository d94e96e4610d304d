import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';

const program = join(__dirname, '../../dist/main.js');

/** The real program on a port, a free one where none is given; resolves with its address once it says that it is ready. */
export function startService(url: string, port = '0'): Promise<{ child: ChildProcess; base: string }> {
  const child = spawn(process.execPath, [program], {
    env: { ...process.env, TANTAMOS_DATABASE_URL: url, TANTAMOS_PORT: port },
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  return new Promise((resolve, reject) => {
    let said = '';
    child.stdout.on('data', (text: Buffer) => {
      said += text.toString();
      const ready = /ready:\s+(http:\S+)/.exec(said);
      if (ready) resolve({ child, base: ready[1]! });
    });
    child.once('exit', () => reject(new Error(`The service ended: ${said}`)));
  });
}
