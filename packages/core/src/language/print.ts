import type { Arithmetic, Expression, Part } from './syntax';
import { reservedWords } from './syntax';

/** A syntax tree as CQL2 text; parsing it again gives the same tree (but for spans). */
export function print(e: Expression): string {
  switch (e.kind) {
    case 'literal':
      return literal(e);
    case 'name':
      if (e.isOld) return `old(${pathName(e.path)})`;
      return e.isNew ? `new(${pathName(e.path)})` : pathName(e.path);
    case 'not':
      return negated(e.operand);
    case 'and':
    case 'or':
      return e.operands
        .map((o) => (o.kind === 'and' || o.kind === 'or' ? `(${print(o)})` : print(o)))
        .join(` ${e.kind.toUpperCase()} `);
    case 'compare':
      return `${value(e.left)} ${e.op} ${value(e.right)}`;
    case 'in':
    case 'between':
    case 'like':
    case 'isNull':
      return predicate(e, '');
    case 'arithmetic':
      return `${side(e.left, e.op, false)} ${e.op.toUpperCase()} ${side(e.right, e.op, true)}`;
    case 'call':
      return `${ours.has(e.name) ? e.name : e.name.toUpperCase()}(${e.args.map((a) => print(a)).join(', ')})`;
    case 'list':
      return `(${e.items.map(print).join(', ')})`;
    case 'interval':
      return `INTERVAL(${[e.from, e.to].map(end).join(', ')})`;
  }
}

/** Functions that no standard names are written small. */
const ours: ReadonlySet<string> = new Set(
  'has count sum average in_selection in_run breaks_rule planned me starts_with ends_with contains pad start_of next_weekday'.split(
    ' ',
  ),
);

/** A text as a CQL2 character literal. */
export function quote(text: string): string {
  // Backslashes just before a quote, or at the end, are doubled: a single one there is an escape.
  return `'${text.replace(/(?<!\\)\\+(?='|$)/g, '$&$&').replaceAll("'", "''")}'`;
}

/** A path as it is written, each part quoted where it is no plain word. */
export function pathName(path: readonly Pick<Part, 'name'>[]): string {
  return path.map((p) => name(p.name)).join('.');
}

const plainName = /^[\p{L}_:][\p{L}\p{N}_:]*$/u;

function name(text: string): string {
  const plain = plainName.test(text) && !reservedWords.has(text.toLowerCase());
  return plain ? text : `"${text.replaceAll('"', '""')}"`;
}

function literal(e: Extract<Expression, { kind: 'literal' }>): string {
  switch (e.type) {
    case 'text':
      return quote(e.text);
    case 'number':
      return e.text;
    case 'null':
      return 'NULL';
    case 'yes_no':
      return e.text.toUpperCase();
    default:
      return `${e.type === 'date' ? 'DATE' : 'TIMESTAMP'}(${quote(e.text)})`;
  }
}

function negated(e: Expression): string {
  if (e.kind === 'in' || e.kind === 'between' || e.kind === 'like' || e.kind === 'isNull') return predicate(e, 'NOT ');
  return `NOT ${e.kind === 'and' || e.kind === 'or' ? `(${print(e)})` : print(e)}`;
}

function predicate(e: Extract<Expression, { kind: 'in' | 'between' | 'like' | 'isNull' }>, not: string): string {
  switch (e.kind) {
    case 'in':
      return `${value(e.operand)} ${not}IN (${e.list.map(value).join(', ')})`;
    case 'between':
      return `${value(e.operand)} ${not}BETWEEN ${value(e.low)} AND ${value(e.high)}`;
    case 'like':
      return `${value(e.operand)} ${not}LIKE ${value(e.pattern)}`;
    case 'isNull':
      return `${value(e.operand)} IS ${not}NULL`;
  }
}

/** What stands beside a sign of comparison: conditions there need brackets. */
function value(e: Expression): string {
  return isCondition(e) ? `(${print(e)})` : print(e);
}

function isCondition(e: Expression): boolean {
  return ['not', 'and', 'or', 'compare', 'in', 'between', 'like', 'isNull'].includes(e.kind);
}

const tightness: Record<Arithmetic, number> = { '+': 1, '-': 1, '*': 2, '/': 2, '%': 2, div: 2, '^': 3 };

function side(e: Expression, op: Arithmetic, right: boolean): string {
  // A negative number is written like a calculation, so before ^ it needs brackets as one would.
  if (e.kind !== 'arithmetic') return value(e);
  const mine = tightness[op];
  const inner = tightness[e.op];
  const plain = inner > mine || (inner === mine && !right && mine < 3);
  return plain ? print(e) : `(${print(e)})`;
}

function end(e: Expression | null): string {
  if (e === null) return `'..'`;
  return e.kind === 'literal' && (e.type === 'date' || e.type === 'moment') && isPlainEnd(e) ? quote(e.text) : print(e);
}

/** A date or moment that INTERVAL would read back as itself from a bare text. */
export function isPlainEnd(e: { type: string; text: string }): boolean {
  return /[T ]/i.test(e.text.trim()) === (e.type === 'moment') && e.text !== '..';
}
