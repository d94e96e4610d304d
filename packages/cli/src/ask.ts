import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';

export function hasTerminal(): boolean {
  return Boolean(process.stdin.isTTY && process.stderr.isTTY);
}

/** Asks on the terminal; `hidden` does not show what is typed. */
export async function ask(question: string, hidden = false): Promise<string> {
  let mute = false;
  const output = new Writable({
    write(chunk, _encoding, done) {
      if (!mute) process.stderr.write(chunk as Buffer);
      done();
    },
  });
  const lines = createInterface({ input: process.stdin, output, terminal: true });
  try {
    const answer = lines.question(question);
    mute = hidden;
    return await answer;
  } finally {
    lines.close();
    if (hidden) process.stderr.write('\n');
  }
}
