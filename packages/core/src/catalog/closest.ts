/** A text longer than this is compared with nothing. */
const longestTyped = 100;

/** Up to three of `candidates` nearest to what was typed, best first: by beginning, by part, by few typing slips. */
export function closest(typed: string, candidates: Iterable<string>, most = 3): string[] {
  if (typed.length > longestTyped) return [];
  const wanted = typed.toLowerCase();
  const scored: { candidate: string; score: number }[] = [];
  for (const candidate of new Set(candidates)) {
    if (isOpposite(wanted, candidate.toLowerCase())) continue;
    const allowed = Math.max(1, Math.floor(candidate.length / 3));
    const score = distance(wanted, candidate.toLowerCase(), allowed);
    if (score <= allowed) scored.push({ candidate, score });
  }
  scored.sort((a, b) => a.score - b.score || a.candidate.localeCompare(b.candidate));
  return scored.slice(0, most).map((s) => s.candidate);
}

/** “inactive” is not “active” misspelt. */
function isOpposite(a: string, b: string): boolean {
  const [short, long] = a.length < b.length ? [a, b] : [b, a];
  return (
    long.endsWith(short) && /^(in|un|non|not|dis|de|im|ir|il|ab|no|never)[-_ ]?$/.test(long.slice(0, -short.length))
  );
}

function distance(a: string, b: string, allowed: number): number {
  if (a === b) return 0;
  if (a.length >= 3 && (b.startsWith(a) || a.startsWith(b))) return 0.5;
  if (a.length >= 3 && b.includes(a)) return 1;
  return slips(a, b.slice(0, longestTyped), allowed);
}

/**
 * Number of inserted, removed, changed or swapped letters (optimal string alignment); Infinity where it is more than
 * `most`, which is found after so many letters either side of the diagonal.
 */
function slips(a: string, b: string, most: number): number {
  if (Math.abs(a.length - b.length) > most || lettersApart(a, b) > most) return Infinity;
  const width = b.length + 1;
  let [before, last, row] = [new Array<number>(width), new Array<number>(width), new Array<number>(width)];
  for (let j = 0; j < width; j++) last[j] = j;
  for (let i = 1; i <= a.length; i++) {
    const [from, to] = [Math.max(1, i - most), Math.min(b.length, i + most)];
    row.fill(Infinity);
    row[0] = i;
    let least = from === 1 ? i : Infinity;
    for (let j = from; j <= to; j++) {
      const same = a[i - 1] === b[j - 1];
      let best = Math.min(row[j - 1]! + 1, last[j]! + 1, last[j - 1]! + (same ? 0 : 1));
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) best = Math.min(best, before[j - 2]! + 1);
      row[j] = best;
      least = Math.min(least, best);
    }
    if (least > most) return Infinity;
    [before, last, row] = [last, row, before];
  }
  return last[b.length]!;
}

/** Letters that one of two texts has and the other lacks: no fewer slips part them. */
function lettersApart(a: string, b: string): number {
  const counts = new Map<string, number>();
  for (const letter of a) counts.set(letter, (counts.get(letter) ?? 0) + 1);
  for (const letter of b) counts.set(letter, (counts.get(letter) ?? 0) - 1);
  let [more, fewer] = [0, 0];
  for (const n of counts.values()) {
    if (n > 0) more += n;
    else fewer -= n;
  }
  return Math.max(more, fewer);
}
