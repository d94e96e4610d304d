/** Rows sent to the database at once: more would be written in one turn. */
const mostAtOnce = 2000;

/** Pieces of a list, as many rows each as are sent at once, with a rest before each. */
export async function* pieces<T>(all: readonly T[], most = mostAtOnce): AsyncGenerator<readonly T[]> {
  for (let at = 0; at < all.length; at += most) {
    await rest();
    yield all.slice(at, at + most);
  }
}

/** Work goes on for so long before others get their turn, in ms. */
const longestTurn = 8;

/**
 * Lets others have their turn (requests, events, timers) in the middle of long work: awaited in a loop, it rests whenever
 * the work has gone on for long enough.
 */
export function turns(): () => Promise<void> | void {
  let since = performance.now();
  return () => {
    if (performance.now() - since < longestTurn) return;
    return rest().then(() => void (since = performance.now()));
  };
}

const resting: (() => void)[] = [];

/**
 * Comes when it is one's turn to go on with long work. All of the process stand in one line, and between two of them whatever
 * is short is done: with twenty of them under way, a request waits for one of their turns, not for twenty.
 */
function rest(): Promise<void> {
  return new Promise((resolve) => {
    if (resting.push(resolve) === 1) setImmediate(goOn);
  });
}

function goOn(): void {
  resting[0]!();
  resting.shift();
  if (resting.length > 0) setImmediate(goOn);
}
