/** One piece of a pasted text: an entry to look for, or why it is none. */
export interface Piece {
  /** As it was pasted, without white space around it. */
  readonly said: string;
  /** What to look for; null for blanks and, among mail addresses, for what is none. */
  readonly entry: string | null;
  /** The type a page address names beside the key, where it does. */
  readonly ofType?: string;
}

/** How a pasted text is read. */
export interface Reading {
  /** Entries are mail addresses: anything else is told apart. */
  readonly addresses: boolean;
  /** Commas may be part of an entry (names), where lines part them already. */
  readonly names: boolean;
  /** Ids of types, for page addresses that have one before the key. */
  readonly types: readonly string[];
}

/** A longer one is nobody's key, code or name: it is cut, with an ellipsis, so that it is never taken for another. */
const longestEntry = 1000;

/**
 * Takes a pasted text apart: lines, and within them what commas, semicolons and tabs part, quotes respected; takes the
 * address out of `Name <a@b>`, the key out of a page address, and stray marks off. A blank line is a piece; an empty
 * place between two separators is not. One piece after another, so that the caller may rest in between; linear in the
 * text's length (tested by doubling).
 */
export function* piecesOf(text: string, reading: Reading): Generator<Piece> {
  const start = text.startsWith('\ufeff') ? 1 : 0;
  const known = { ...reading, types: new Set(reading.types) };
  let held: readonly string[] | null = null;
  let several = false;
  for (const cells of rowsOf(text, start, reading.names && hasLines(text) ? ';\t' : ',;\t')) {
    if (held) yield* piecesIn(held, known);
    several = held !== null;
    held = cells.map(tidy).filter((cell) => cell !== '');
  }
  // What stands behind the last line's end is no line.
  if (held && (held.length > 0 || !several)) yield* piecesIn(held, known);
}

type Known = Omit<Reading, 'types'> & { readonly types: ReadonlySet<string> };

function* piecesIn(filled: readonly string[], reading: Known): Generator<Piece> {
  if (filled.length === 0) yield { said: '', entry: null };
  for (const cell of filled)
    yield cell.length > longestEntry
      ? { said: cell.slice(0, longestEntry), entry: `${cell.slice(0, longestEntry - 1)}…` }
      : pieceOf(cell, reading);
}

/** Is there more than one line with something on it? */
function hasLines(text: string): boolean {
  const filled = /\S/g;
  if (!filled.test(text)) return false;
  const end = text.indexOf('\n', filled.lastIndex);
  if (end < 0) return false;
  filled.lastIndex = end;
  return filled.test(text);
}

/** What two writings of one entry have in common: small letters, single spaces, composed. */
export function entryKey(entry: string): string {
  return entry.normalize('NFC').replace(/\s+/g, ' ').trim().toLowerCase();
}

function pieceOf(said: string, { addresses, types }: Known): Piece {
  const address = addressIn(said);
  if (address !== null) return { said, entry: address };
  if (addresses) return { said, entry: null };
  const page = /^https?:\/\//i.test(said) ? keyInPage(said, types) : null;
  if (page) return { said, ...page };
  const bare = without(said.replace(/^[•·*>–—-]+\s+/, ''), `"'“”‘’(<[`, `"'“”‘’)>].!`);
  return { said, entry: bare === '' ? said : bare };
}

/** The text without any of some signs at its ends. */
function without(text: string, before: string, after: string): string {
  let [from, to] = [0, text.length];
  while (from < to && before.includes(text[from]!)) from++;
  while (to > from && after.includes(text[to - 1]!)) to--;
  return text.slice(from, to);
}

function addressIn(said: string): string | null {
  for (const [run] of said.replace(/^mailto:/i, '').matchAll(/[^\s<>()[\],;:"'“”]+/g)) {
    const whole = without(run, '', '@');
    if (whole.lastIndexOf('@') > 0) return without(whole, '', '.!?');
  }
  return null;
}

/** `…/growers/123?tab=2` → the grower 123; otherwise the last part of the path that is not empty. */
function keyInPage(said: string, types: ReadonlySet<string>): { entry: string; ofType?: string } | null {
  let parts: string[];
  try {
    const { pathname, hash } = new URL(said);
    parts = `${pathname}/${hash.replace(/^#|\?.*$/g, '')}`.split('/').map(decodeURIComponent).filter(Boolean);
  } catch {
    return null;
  }
  const at = parts.findIndex((p, i) => i < parts.length - 1 && types.has(p.toLowerCase()));
  if (at >= 0) return { entry: parts[at + 1]!, ofType: parts[at]!.toLowerCase() };
  const last = parts.at(-1);
  return last === undefined ? null : { entry: last };
}

function tidy(cell: string): string {
  return cell
    .replace(/[\u200b-\u200d\u2060\ufeff]/g, '')
    .replace(/\u00a0/g, ' ')
    .trim();
}

/** Rows of cells; a quote at a cell's beginning holds separators and line ends until the quote that closes it. */
function* rowsOf(text: string, from: number, separators: string): Generator<string[]> {
  const special = new RegExp(`["\\r\\n,${separators}]`, 'g');
  let row: string[] = [];
  let cell = '';
  let isBlank = true;
  let closed = false;
  let at = from;
  const add = (piece: string): void => {
    cell += piece;
    isBlank &&= piece.trim() === '';
  };
  const end = (): void => {
    row.push(cell);
    [cell, isBlank, closed] = ['', true, false];
  };
  for (;;) {
    special.lastIndex = at;
    const hit = special.exec(text);
    add(text.slice(at, hit?.index ?? text.length));
    if (!hit) break;
    const [char] = hit;
    at = hit.index + 1;
    if (char === '"' && isBlank && closes(text, at)) {
      const quoted = quotedAt(text, at);
      [cell, isBlank, closed, at] = [quoted.text, quoted.text.trim() === '', true, quoted.end];
    } else if (char === '\n') {
      end();
      yield row;
      row = [];
      // After a quote that closes, a comma parts cells wherever else it may be part of them.
    } else if (separators.includes(char) || (char === ',' && closed)) end();
    else if (char !== '\r') add(char);
  }
  end();
  yield row;
}

/** What stands from here to the quote that closes, a doubled quote being one of the text; and where it goes on. */
function quotedAt(text: string, from: number): { text: string; end: number } {
  let at = from;
  for (;;) {
    at = text.indexOf('"', at);
    if (at < 0) return { text: text.slice(from).replaceAll('""', '"'), end: text.length };
    if (text[at + 1] !== '"') return { text: text.slice(from, at).replaceAll('""', '"'), end: at + 1 };
    at += 2;
  }
}

/** A quote that is never closed within 2,000 characters is a stray mark. */
function closes(text: string, from: number): boolean {
  const at = text.indexOf('"', from);
  return at >= 0 && at - from < 2000;
}
