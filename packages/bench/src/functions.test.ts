import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { functions } from '@tantamos/core';
import type { Taken } from './functions';

const script = join(__dirname, '../../../scripts/bench.mjs');

describe('the bench of functions', () => {
  it('finds with every function, once and nested, just what the same by hand finds', async () => {
    const child = spawn(process.execPath, [script, '--functions', '--rows', '2000', '--json'], {
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let [said, talk] = ['', ''];
    child.stdout.on('data', (text: Buffer) => (said += text.toString()));
    child.stderr.on('data', (text: Buffer) => (talk += text.toString()));
    const code = await new Promise((resolve) => child.once('exit', resolve));
    if (code !== 0) throw new Error(`${talk}${said}`);
    const taken = (JSON.parse(said.slice(said.indexOf('{'))) as { functions: Taken[] }).functions;
    expect(taken.map((t) => t.name).sort()).toEqual(functions.map((f) => f.name).sort());
    // Questions that nothing or everything answers would say little: most find some of the 2,000.
    const some = taken.filter(({ one, three }) => one.found + three.found > 0);
    expect(some.length).toBeGreaterThan(taken.length / 2);
  }, 240_000);
});
