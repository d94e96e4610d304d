import { functions } from '@tantamos/core';
import type { Taken } from './functions';
import { runScript } from './testing/script';

describe('the bench of functions', () => {
  it('finds with every function, once and nested, just what the same by hand finds', async () => {
    const said = await runScript('bench.mjs', '--functions', '--rows', '2000', '--json');
    const taken = (JSON.parse(said.slice(said.indexOf('{'))) as { functions: Taken[] }).functions;
    expect(taken.map((t) => t.name).sort()).toEqual(functions.map((f) => f.name).sort());
    // Questions that nothing or everything answers would say little: most find some of the 2,000.
    const some = taken.filter(({ one, three }) => one.found + three.found > 0);
    expect(some.length).toBeGreaterThan(taken.length / 2);
  }, 240_000);
});
