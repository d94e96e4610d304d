/** Places of a worked-out selection above `low` and up to `high`, counted from 0. */
export interface Piece {
  readonly low: number;
  readonly high: number;
}

/** Records that one statement looks at, about. */
export const aboutPerPiece = 100_000;
/** The same of what two connections work on: so few that neither waits long for the other. Measured: see docs/performance.md. */
export const aboutPerShare = 25_000;

/**
 * So many places, cut where batches end, so that no batch is short for it; about `about` each. The first of several is one
 * batch: it tells about all.
 */
export function piecesOf(count: number, batchSize: number, about = aboutPerPiece): readonly Piece[] {
  const step = Math.max(1, Math.floor(about / batchSize)) * batchSize;
  const pieces: Piece[] = [];
  for (let low = 0; low < count || low === 0; low = pieces.at(-1)!.high)
    pieces.push({ low, high: Math.min(Math.max(count, 1), low + (low === 0 && count > step ? batchSize : step)) });
  return pieces;
}

/**
 * All pieces by two: `lower` does the first alone, since it tells about all, and goes on from there, while `upper` takes them
 * from the last down to that at `half`, counted from 0. Where one fails the other takes no more, and what is thrown is what
 * failed first.
 */
export async function sharedOut<P>(
  pieces: readonly P[],
  half: number,
  lower: (piece: P) => Promise<void>,
  upper: (piece: P) => Promise<void>,
): Promise<void> {
  let [low, high] = [0, pieces.length];
  let failed: { readonly by: unknown } | null = null;
  const take = async (work: (piece: P) => Promise<void>, next: () => P | undefined): Promise<void> => {
    try {
      for (let piece = next(); piece !== undefined && !failed; piece = next()) await work(piece);
    } catch (error) {
      failed ??= { by: error };
    }
  };
  const fromLow = (): P | undefined => (low < high ? pieces[low++] : undefined);
  const fromHigh = (): P | undefined => (high > Math.max(low, half) ? pieces[--high] : undefined);
  await lower(fromLow()!);
  await Promise.all([take(lower, fromLow), take(upper, fromHigh)]);
  if (failed) throw (failed as { by: unknown }).by;
}
