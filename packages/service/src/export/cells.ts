/** Signs that a spreadsheet takes for the beginning of a formula, full-width ones among them. */
const sign = '[=+\\-@\uff1d\uff0b\uff0d\uff20]';
/**
 * At the beginning, after white space that is taken off, and behind whatever another spreadsheet, set to another separator,
 * would part cells at. A whole cell that is a number is none: `3;-4`, but `3;-4+A1` and `3;=4` are.
 */
const atStart = new RegExp(`^(?=[\\s\ufeff]*${sign})|^(?=[\\t\\r])`);
const parted = '[;,\\t\\r\\n]"?';
const number = '[\\d.]+(?:[.,]\\d+)?(?:[;,\\t\\r\\n"]|$)';
const within = new RegExp(
  `(?<=${parted})(?=[=@\uff1d\uff20])|(?<=${parted} +)(?=[=\uff1d])|(?<=${parted})(?=[+\\-\uff0b\uff0d](?!\\s)(?!${number}))`,
  'g',
);

/** A text that no spreadsheet takes for a formula, whatever parts its cells: an apostrophe stands before what would begin one. */
export function safeCell(text: string): string {
  return text.replace(within, "'").replace(atStart, "'");
}

/** Whatever a spreadsheet may part cells at, also where the file itself uses another sign, is quoted. */
const needsQuotes = /["\r\n\t;,]/;

/** A cell of CSV (RFC 4180). */
export function csvCell(text: string): string {
  return needsQuotes.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}
