import Table from 'cli-table3';
import color from 'picocolors';
import width from 'string-width';
import { stripVTControlCharacters } from 'node:util';
import { printed } from './control-characters';

/** Rows of texts under headings, for people and programs alike. */
export interface Sheet {
  readonly columns: readonly string[];
  readonly rows: readonly (readonly (string | number | boolean | null)[])[];
  /** Columns set flush right. */
  readonly numbers?: readonly string[];
  /** Columns whose texts are not cut: sentences. */
  readonly whole?: readonly string[];
}

/** A cell that is not a sentence is no wider than this. */
const widestCell = 60;
/** A sentence is wrapped into no less than this, a value cut to no less than that. */
const narrowestWrap = 24;
const narrowestCell = 10;
const gap = 2;

/** How wide the terminal is, in columns; null where the output goes to no terminal and nobody says. */
export function terminalWidth(): number | null {
  const said = Number(process.env.COLUMNS);
  return process.stdout.columns ?? (Number.isInteger(said) && said > 0 ? said : null);
}

/** A column as it is laid out. */
interface Column {
  readonly at: number;
  readonly name: string;
  readonly isNumber: boolean;
  /** Its texts are wrapped, not cut. */
  readonly isWhole: boolean;
  readonly natural: number;
  readonly least: number;
}

/** A sheet as a table no wider than `most`; a value that is cut ends with …. `hidden`: columns for which there was no room. */
export function tableOf(
  sheet: Sheet,
  most: number | null,
): { readonly text: string; readonly hidden: readonly string[] } {
  const rows = sheet.rows.map((row) => row.map(cellText));
  const all = sheet.columns.map((name, at): Column => {
    const isNumber = sheet.numbers?.includes(name) ?? false;
    const isWhole = sheet.whole?.includes(name) ?? false;
    const longest = rows.reduce((most, row) => Math.max(most, widthOf(row[at] ?? '')), widthOf(name));
    const natural = isWhole ? longest : Math.min(longest, widestCell);
    const least = isNumber ? natural : Math.min(natural, isWhole ? narrowestWrap : narrowestCell);
    return { at, name, isNumber, isWhole, natural, least };
  });
  const shown = most === null ? all : fitting(all, most);
  const widths = most === null ? shown.map((c) => c.natural) : fitted(shown, most);
  const table = new Table({
    head: shown.map((c) => color.dim(c.name)),
    colAligns: shown.map((c) => (c.isNumber ? 'right' : 'left')),
    colWidths: widths,
    chars: noLines,
    style: { 'padding-left': 0, 'padding-right': 0, head: [], border: [] },
  });
  for (const row of rows) table.push(shown.map((c) => ({ content: row[c.at] ?? '', wordWrap: c.isWhole })));
  return {
    text: table.toString().replace(/ +$/gm, ''),
    hidden: all.filter((c) => !shown.includes(c)).map((c) => c.name),
  };
}

/** Those of the columns for which there is room: what is whole and what stands first is kept longest. */
function fitting(columns: readonly Column[], most: number): readonly Column[] {
  let left = [...columns];
  const least = (): number => left.reduce((n, c) => n + c.least, gap * (left.length - 1));
  while (left.length > 1 && least() > most) {
    const last = left.findLast((c) => !c.isWhole) ?? left.at(-1)!;
    left = left.filter((c) => c !== last);
  }
  return left;
}

/** Their widths, the widest made narrower until all fit. */
function fitted(columns: readonly Column[], most: number): number[] {
  const widths = columns.map((c) => c.natural);
  let over = widths.reduce((n, w) => n + w, gap * (widths.length - 1)) - most;
  for (; over > 0; over--) {
    const room = columns.map((c, i) => (widths[i]! > c.least ? widths[i]! : 0));
    const widest = room.indexOf(Math.max(...room));
    if (room[widest] === 0) break;
    widths[widest]!--;
  }
  // A single column may be wider than the terminal even so.
  return columns.length === 1 ? [Math.max(1, Math.min(widths[0]!, most))] : widths;
}

function cellText(cell: string | number | boolean | null): string {
  return cell === null ? '' : printed(String(cell)).replace(/[\r\n\t]+/g, ' ');
}

function widthOf(text: string): number {
  return width(stripVTControlCharacters(text));
}

const noLines = {
  top: '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  bottom: '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  left: '',
  'left-mid': '',
  mid: '',
  'mid-mid': '',
  right: '',
  'right-mid': '',
  middle: ' '.repeat(gap),
};
