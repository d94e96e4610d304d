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

/**
 * Takes a pasted text apart: lines, and within them what commas, semicolons and tabs part, quotes respected; takes the
 * address out of `Name <a@b>`, the key out of a page address, and stray marks off. A blank line is a piece; an empty
 * place between two separators is not. Linear in the text's length.
 */
export function piecesOf(text: string, reading: Reading): Piece[] {
  const lines = rowsOf(text.replace(/^\ufeff/, ''), reading.names && /\S[^\n]*\n\s*\S/.test(text) ? ';\t' : ',;\t');
  if (lines.length > 1 && lines.at(-1)!.every((cell) => tidy(cell) === '')) lines.pop();
  return lines.flatMap((cells) => {
    const filled = cells.map(tidy).filter((cell) => cell !== '');
    if (filled.length === 0) return [{ said: '', entry: null }];
    return filled.map((cell) => pieceOf(cell, reading));
  });
}

/** What two writings of one entry have in common: small letters, single spaces, composed. */
export function entryKey(entry: string): string {
  return entry.normalize('NFC').replace(/\s+/g, ' ').trim().toLowerCase();
}

function pieceOf(said: string, { addresses, types }: Reading): Piece {
  const address = addressIn(said);
  if (address !== null) return { said, entry: address };
  if (addresses) return { said, entry: null };
  const page = /^https?:\/\//i.test(said) ? keyInPage(said, types) : null;
  if (page) return { said, ...page };
  const bare = said.replace(/^[•·*>–—-]+\s+/, '').replace(/^["'“”‘’(<[]+|["'“”‘’)>\].!]+$/g, '');
  return { said, entry: bare === '' ? said : bare };
}

function addressIn(said: string): string | null {
  return (
    /[^\s<>()[\],;:"'“”]+@[^\s<>()[\],;:"'“”@]+/.exec(said.replace(/^mailto:/i, ''))?.[0].replace(/[.!?]+$/, '') ?? null
  );
}

/** `…/growers/123?tab=2` → the grower 123; otherwise the last part of the path that is not empty. */
function keyInPage(said: string, types: readonly string[]): { entry: string; ofType?: string } | null {
  let parts: string[];
  try {
    const { pathname, hash } = new URL(said);
    parts = `${pathname}/${hash.replace(/^#|\?.*$/g, '')}`.split('/').map(decodeURIComponent).filter(Boolean);
  } catch {
    return null;
  }
  const at = parts.findIndex((p, i) => i < parts.length - 1 && types.includes(p.toLowerCase()));
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
function rowsOf(text: string, separators: string): string[][] {
  const rows: string[][] = [];
  let row: string[] = [];
  let cell = '';
  let quoted = false;
  let closed = false;
  for (let i = 0; i < text.length; i++) {
    const char = text[i]!;
    if (quoted) {
      if (char !== '"') cell += char;
      else if (text[i + 1] === '"') cell += text[++i];
      else [quoted, closed] = [false, true];
    } else if (char === '"' && cell.trim() === '' && closes(text, i + 1)) {
      quoted = true;
      cell = '';
    } else if (char === '\n') {
      rows.push([...row, cell]);
      row = [];
      cell = '';
      closed = false;
    } else if (separators.includes(char) || (char === ',' && closed)) {
      // After a quote that closes, a comma parts cells wherever else it may be part of them.
      row.push(cell);
      cell = '';
      closed = false;
    } else if (char !== '\r') cell += char;
  }
  rows.push([...row, cell]);
  return rows;
}

/** A quote that is never closed within 2,000 characters is a stray mark. */
function closes(text: string, from: number): boolean {
  const at = text.indexOf('"', from);
  return at >= 0 && at - from < 2000;
}
