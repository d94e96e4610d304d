import type { Expression } from './syntax';

/** A syntax tree as CQL2 text; parsing it again gives the same tree (but for spans). */
export function print(e: Expression): string {
  switch (e.kind) {
    case 'literal':
      return literal(e);
    case 'name':
      return e.path.map((p) => name(p.name)).join('.');
    case 'not':
      return `NOT ${bracketed(e.operand)}`;
    case 'and':
    case 'or':
      return e.operands
        .map((o) => (o.kind === 'and' || o.kind === 'or' ? `(${print(o)})` : print(o)))
        .join(` ${e.kind.toUpperCase()} `);
    case 'compare':
      return `${print(e.left)} ${e.op} ${print(e.right)}`;
    case 'in':
      return `${print(e.operand)} ${not(e)}IN (${e.list.map(print).join(', ')})`;
    case 'between':
      return `${print(e.operand)} ${not(e)}BETWEEN ${print(e.low)} AND ${print(e.high)}`;
    case 'like':
      return `${print(e.operand)} ${not(e)}LIKE ${print(e.pattern)}`;
    case 'isNull':
      return `${print(e.operand)} IS ${not(e)}NULL`;
  }
}

/** A text as a CQL2 character literal. */
export function quote(text: string): string {
  return `'${text.replaceAll("'", "''")}'`;
}

const plainName = /^[\p{L}_][\p{L}\p{N}_]*$/u;
const needsQuotes = /^(and|or|not|in|between|like|is|null|true|false|date|timestamp)$/i;

function name(text: string): string {
  return plainName.test(text) && !needsQuotes.test(text) ? text : `"${text.replaceAll('"', '""')}"`;
}

function literal(e: Extract<Expression, { kind: 'literal' }>): string {
  if (e.type === 'text') return quote(e.text);
  if (e.type === 'number') return e.text;
  if (e.type === 'yes_no') return e.text.toUpperCase();
  return `${e.type === 'date' ? 'DATE' : 'TIMESTAMP'}(${quote(e.text)})`;
}

function bracketed(e: Expression): string {
  return e.kind === 'and' || e.kind === 'or' ? `(${print(e)})` : print(e);
}

function not(e: { negated: boolean }): string {
  return e.negated ? 'NOT ' : '';
}
