import 'reflect-metadata';
import { JobBody } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import { validated } from './validate';

describe('a request with a great many values', () => {
  const body = (n: number) => ({
    selection: { type: 'bookings' },
    edits: [
      { kind: 'put', field: 'note', values: Object.fromEntries(Array.from({ length: n }, (_, i) => [`k${i}`, 'v'])) },
    ],
  });
  const took = async (n: number): Promise<number> => {
    const given = body(n);
    const begun = performance.now();
    const read = await validated(JobBody, given);
    expect(Object.keys((read.edits[0] as Extract<Edit, { kind: 'put' }>).values!)).toHaveLength(n);
    return performance.now() - begun;
  };
  const least = async (n: number): Promise<number> => Math.min(await took(n), await took(n), await took(n));

  it('is read in time that grows with their number, not faster', async () => {
    await took(1000);
    // Eight times as many; what compares each with all before it takes sixty-four times as long. A machine that has
    // other things to do only ever makes a turn longer.
    let ratio = Infinity;
    for (let turn = 0; turn < 5 && ratio >= 30; turn++)
      ratio = Math.min(ratio, (await least(160_000)) / Math.max(await least(20_000), 2));
    expect(ratio).toBeLessThan(30);
  });

  it('and is still checked: each value, and members that are not known', async () => {
    const wrong = body(300) as { edits: { values: Record<string, unknown> }[] };
    wrong.edits[0]!.values.k7 = { deep: true };
    await expect(validated(JobBody, wrong)).rejects.toThrow('values by key');
    const selection = Object.fromEntries(Array.from({ length: 300 }, (_, i) => [`x${i}`, 1]));
    await expect(validated(JobBody, { ...body(1), selection })).rejects.toThrow('selection');
    await expect(
      validated(JobBody, Object.fromEntries(Array.from({ length: 300 }, (_, i) => [`x${i}`, 1]))),
    ).rejects.toThrow('members');
  });
});
