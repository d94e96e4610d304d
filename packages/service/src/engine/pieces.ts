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
 * All pieces by two at once: `lower` takes them from the low end on, `upper` from the high end down to those that begin
 * below `from`. Where one fails the other takes no more, and what is thrown is what failed first.
 */
export async function sharedOut(
  pieces: readonly Piece[],
  from: number,
  lower: (piece: Piece) => Promise<void>,
  upper: (piece: Piece) => Promise<void>,
): Promise<void> {
  const left = [...pieces];
  let failed: { readonly by: unknown } | null = null;
  const take = async (work: (piece: Piece) => Promise<void>, next: () => Piece | undefined): Promise<void> => {
    try {
      for (let piece = next(); piece && !failed; piece = next()) await work(piece);
    } catch (error) {
      failed ??= { by: error };
    }
  };
  await Promise.all([
    take(lower, () => left.shift()),
    take(upper, () => ((left.at(-1)?.low ?? -1) >= from ? left.pop() : undefined)),
  ]);
  if (failed) throw (failed as { by: unknown }).by;
}
