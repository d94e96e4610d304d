/** Rows sent to the database at once: more would be written in one turn. */
const mostAtOnce = 5000;

/** Pieces of a list, as many rows each as are sent at once. */
export function* pieces<T>(all: readonly T[], most = mostAtOnce): Generator<readonly T[]> {
  for (let at = 0; at < all.length; at += most) yield all.slice(at, at + most);
}

/** Work goes on for so long before others get their turn, in ms. */
const longestTurn = 15;

/**
 * Lets others have their turn (requests, events, timers) in the middle of long work: awaited in a loop, it rests whenever
 * the work has gone on for long enough.
 */
export function turns(): () => Promise<void> | void {
  let since = performance.now();
  return () => {
    if (performance.now() - since < longestTurn) return;
    return new Promise<void>((resolve) =>
      setImmediate(() => {
        since = performance.now();
        resolve();
      }),
    );
  };
}
