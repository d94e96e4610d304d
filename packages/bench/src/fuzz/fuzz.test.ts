import { spawn } from 'node:child_process';
import { join } from 'node:path';
import type { Found } from './fuzz';

const script = join(__dirname, '../../../../scripts/fuzz.mjs');

describe('three thousand requests made from the document', () => {
  it('are all answered as it says, and change no record but by a run', async () => {
    const child = spawn(process.execPath, [script, '--built', '--requests', '3000', '--seed', '7', '--json'], {
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let said = '';
    let talk = '';
    child.stdout.on('data', (text: Buffer) => (said += text.toString()));
    child.stderr.on('data', (text: Buffer) => (talk += text.toString()));
    await new Promise((resolve) => child.once('exit', resolve));
    if (said === '') throw new Error(talk);
    const found = JSON.parse(said) as Found;
    expect(found.wrong).toEqual([]);
    expect(found.requests).toBe(3000);
    // It is no fuzz where nothing gets through.
    const right = Object.values(found.answers).flatMap((counts) =>
      Object.keys(counts).filter((s) => s.startsWith('2')),
    );
    expect(right.length).toBeGreaterThan(40);
  }, 240_000);
});
