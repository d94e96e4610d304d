/** Up to three of `candidates` nearest to what was typed, best first: by beginning, by part, by few typing slips. */
export function closest(typed: string, candidates: readonly string[], most = 3): string[] {
  if (typed.length > 100) return [];
  const wanted = typed.toLowerCase();
  const scored = [...new Set(candidates)]
    .map((candidate) => ({ candidate, score: distance(wanted, candidate.toLowerCase()) }))
    .filter(({ score, candidate }) => score <= Math.max(1, Math.floor(candidate.length / 3)));
  scored.sort((a, b) => a.score - b.score || a.candidate.localeCompare(b.candidate));
  return scored.slice(0, most).map((s) => s.candidate);
}

function distance(a: string, b: string): number {
  if (a === b) return 0;
  if (a.length >= 3 && (b.startsWith(a) || a.startsWith(b))) return 0.5;
  if (a.length >= 3 && b.includes(a)) return 1;
  return slips(a, b.slice(0, 100));
}

/** Number of inserted, removed, changed or swapped letters (optimal string alignment). */
function slips(a: string, b: string): number {
  const rows: number[][] = [Array.from({ length: b.length + 1 }, (_, j) => j)];
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1];
      let best = Math.min(row[j - 1]! + 1, rows[i - 1]![j]! + 1, rows[i - 1]![j - 1]! + (same ? 0 : 1));
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        best = Math.min(best, rows[i - 2]![j - 2]! + 1);
      row.push(best);
    }
    rows.push(row);
  }
  return rows[a.length]![b.length]!;
}
