/** A piece of work and how long it took. */
export async function seconds<T>(work: () => Promise<T>): Promise<{ seconds: number; result: T }> {
  const begun = performance.now();
  const result = await work();
  return { seconds: (performance.now() - begun) / 1000, result };
}

/**
 * Two ways in turn, A B A B …, so many times after one that does not count, or three where that takes long; the medians
 * in ms.
 */
export async function inTurn(
  a: () => Promise<unknown>,
  b: () => Promise<unknown>,
  rounds = 7,
): Promise<[number, number]> {
  const times: [number[], number[]] = [[], []];
  const begun = performance.now();
  for (let i = 0; i <= rounds && (i < 4 || performance.now() - begun < longest); i++)
    for (const [n, work] of [a, b].entries()) {
      const { seconds: took } = await seconds(work);
      if (i > 0) times[n]!.push(took * 1000);
    }
  return times.map(median) as [number, number];
}

const longest = 6000;

export function median(list: readonly number[]): number {
  const sorted = [...list].sort((x, y) => x - y);
  return (sorted[(list.length - 1) >> 1]! + sorted[list.length >> 1]!) / 2;
}
