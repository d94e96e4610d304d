import { runScript } from '../testing/script';
import type { Found } from './fuzz';

describe('three thousand requests made from the document', () => {
  it('are all answered as it says, and change no record but by a run', async () => {
    const said = await runScript('fuzz.mjs', '--built', '--requests', '3000', '--seed', '7', '--json');
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
