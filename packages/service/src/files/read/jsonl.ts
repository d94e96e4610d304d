import { clip, fail } from '@tantamos/core';
import { encodingOf, headOf, mustBeEncoding, textOf } from './text-file';
import { keptCell, mostColumns, Noted, tooManyColumns, type MannerSaid, type Reading, type Row } from './reading';

/** JSON Lines: one object a line, its members the columns. */
export async function readJsonLines(path: string, said: MannerSaid): Promise<Reading> {
  const encoding =
    said.encoding === undefined ? encodingOf(await headOf(path)).encoding : mustBeEncoding(said.encoding);
  const names: string[] = [];
  const places = new Map<string, number>();
  const notes = new Noted({});
  const placeOf = (name: string): number => {
    const known = places.get(name);
    if (known !== undefined) return known;
    if (names.length >= mostColumns) tooManyColumns();
    places.set(name, names.push(name) - 1);
    return names.length - 1;
  };
  return {
    manner: { format: 'jsonl', encoding, separator: null, sheet: null, sheets: [], hasHeader: true },
    columns: () => names,
    notes: () => notes.all(),
    async *rows() {
      let at = 0;
      for await (const line of linesOf(textOf(path, encoding))) {
        at++;
        if (line.trim() !== '') yield rowOf(line, at, placeOf, notes);
      }
    },
  };
}

async function* linesOf(pieces: AsyncIterable<string>): AsyncGenerator<string> {
  let rest = '';
  for await (const piece of pieces) {
    const lines = (rest + piece.replace(/^\ufeff/, '')).split('\n');
    rest = lines.pop()!;
    if (rest.length > 10_000_000) fail('bad_value', 'A line is longer than 10,000,000 characters.', { where: 'file' });
    yield* lines;
  }
  if (rest !== '') yield rest;
}

function rowOf(line: string, at: number, placeOf: (name: string) => number, notes: Noted): Row {
  const object = read(line, at);
  const cells: (string | null)[] = [];
  let trouble: string | null = null;
  for (const [name, value] of Object.entries(object)) {
    const place = placeOf(keptCell(name.slice(0, 200)).text);
    if (value === null || value === '') continue;
    if (typeof value === 'number' && !isExact(value)) {
      trouble ??= `the number in “${clip(name)}” is too long to be read exactly: write it as a text`;
      notes.add('long_numbers');
    }
    const kept = keptCell(
      typeof value === 'string' ? value : typeof value === 'object' ? JSON.stringify(value) : String(value),
    );
    trouble ??= kept.trouble;
    if (kept.trouble) notes.add('unfit_signs');
    cells[place] = kept.text;
  }
  return { at, cells: Array.from(cells, (c) => c ?? null), trouble };
}

/** Whole numbers that JavaScript tells apart, and fractions of 15 digits. */
const isExact = (n: number): boolean => (Number.isInteger(n) ? Number.isSafeInteger(n) : true);

function read(line: string, at: number): Record<string, unknown> {
  try {
    const value: unknown = JSON.parse(line);
    if (typeof value === 'object' && value !== null && !Array.isArray(value)) return value as Record<string, unknown>;
  } catch {
    // told below
  }
  return fail('bad_value', `Line ${at.toLocaleString('en-US')} is no JSON object: one object stands on each line.`, {
    where: 'file',
  });
}
