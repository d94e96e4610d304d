/** Eight times the text: eight times the work where it is linear, 64 times where it grows with the square. */
export const linear = 24;

/**
 * How many times longer `work` takes on 8n than on n. The quickest of several turns counts, each of both sizes one after
 * the other, since a busy machine only ever makes a turn longer; it stops as soon as it is seen to be linear.
 */
export function growth(work: (n: number) => unknown, n: number): number {
  const took = (size: number): number => {
    const from = process.hrtime.bigint();
    work(size);
    return Number(process.hrtime.bigint() - from);
  };
  // Less than half a millisecond says nothing.
  let [small, large] = [Infinity, Infinity];
  for (let turn = 0; turn < 8; turn++) {
    small = Math.min(small, Math.max(500_000, took(n)));
    large = Math.min(large, took(8 * n));
    if (turn > 0 && large / small < linear) break;
  }
  return large / small;
}
