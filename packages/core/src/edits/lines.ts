// Lines of columns as people bring them: out of a spreadsheet, out of a CSV file.

const separators = ['\t', ';', ','] as const;
/** So many lines tell what stands between the columns. */
const looked = 1000;

/** What stands between the columns: what most lines hold, a tab rather than a semicolon, that rather than a comma. */
export function separatorOf(text: string): (typeof separators)[number] {
  const lines = text.slice(0, 1_000_000).split(/\r?\n/, looked);
  const counts = separators.map((s) => lines.filter((line) => line.includes(s)).length);
  return separators[counts.indexOf(Math.max(...counts))]!;
}

/** The rows without a first one that says what the first column is, by any of these names. */
export function withoutHeading<Row extends readonly string[]>(rows: readonly Row[], names: readonly string[]): Row[] {
  const first = rows[0]?.[0]?.trim().toLowerCase();
  const isHeading = rows.length > 1 && names.some((name) => name.trim().toLowerCase() === first);
  return isHeading ? rows.slice(1) : [...rows];
}
