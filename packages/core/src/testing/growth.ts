/** As much text in 32 pieces and in one: as long where work is linear, 32 times as long where it grows with the square. */
export const linear = 6;

/**
 * How many times longer `work` takes on one text of 8n than on 32 of n / 4, so that both take about as long and a busy
 * machine's stalls meet both alike. The quickest of several turns counts, each of both one after the other, since a stall
 * only ever makes a turn longer; it stops as soon as it is seen to be linear.
 */
export function growth(work: (n: number) => unknown, n: number): number {
  const took = (times: number, size: number): number => {
    const from = process.hrtime.bigint();
    for (let i = 0; i < times; i++) work(size);
    return Number(process.hrtime.bigint() - from);
  };
  // Less than half a millisecond says nothing.
  let [pieces, whole] = [Infinity, Infinity];
  for (let turn = 0; turn < 8; turn++) {
    pieces = Math.min(pieces, Math.max(500_000, took(32, n / 4)));
    whole = Math.min(whole, took(1, 8 * n));
    if (turn > 0 && whole / pieces < linear) break;
  }
  return whole / pieces;
}
