import { isLosslessNumber, LosslessNumber, parse as readJson, stringify } from 'lossless-json';
import { clip } from '../catalog/catalog';
import { closest } from '../catalog/closest';
import { fail } from '../problem';
import { interval, parse } from './parse';
import { isPlainEnd, pathName, print } from './print';
import {
  arithmetics,
  canonicalDigits,
  comparisons,
  longestText,
  mostNesting,
  type Arithmetic,
  type Comparison,
  type Expression,
  type Part,
  called,
} from './syntax';

// The JSON form of CQL2 (21-065r2, clause 6.4 and schema/cql2.yml). Numbers keep their digits: read from text, they are
// never a float.

type Json = null | boolean | string | number | LosslessNumber | readonly Json[] | { readonly [key: string]: Json };

/** A tree as CQL2 JSON text; reading it again gives the same tree. */
export function printJson(e: Expression, space?: number): string {
  return stringify(toJson(e), undefined, space)!;
}

/** CQL2 JSON, as text or as parsed already, to a tree whose spans are those of its text form (`print`). */
export function parseJson(given: unknown): Expression {
  return parse(textOfJson(given));
}

/** The text form of CQL2 JSON. Throws `syntax` with the place inside the JSON. */
export function textOfJson(given: unknown): string {
  if (typeof given === 'string' && given.length > longestText)
    fail('too_long', `The text has ${given.length} characters; ${longestText} are the most.`);
  return print(new Reader().expression(typeof given === 'string' ? (read(given) as Json) : (given as Json), '$', 0));
}

function read(text: string): unknown {
  try {
    return readJson(text);
  } catch (error) {
    return fail('syntax', `The filter is not valid JSON: ${clip((error as Error).message, 120)}.`);
  }
}

const span = { start: 0, end: 0 };

/** The JSON form as a value; `stringify` writes one, or anything that holds one, with all digits. */
export function toJsonValue(e: Expression): unknown {
  return toJson(e);
}
toJsonValue.stringify = (v: unknown): string => stringify(v, undefined, 2)!;

function toJson(e: Expression): unknown {
  const op = (name: string, ...args: unknown[]): unknown => ({ op: name, args });
  switch (e.kind) {
    case 'literal':
      switch (e.type) {
        case 'text':
          return e.text;
        case 'number':
          return new LosslessNumber(e.text);
        case 'yes_no':
          return e.text === 'true';
        case 'null':
          return null;
        default:
          return { [e.type === 'date' ? 'date' : 'timestamp']: e.text };
      }
    case 'name':
      if (e.isNew || e.isOld) return op(e.isNew ? 'new' : 'old', { property: pathName(e.path) });
      return { property: pathName(e.path) };
    case 'not':
      return op('not', toJson(e.operand));
    case 'and':
    case 'or':
      return op(e.kind, ...e.operands.map(toJson));
    case 'compare':
    case 'arithmetic':
      return op(e.op, toJson(e.left), toJson(e.right));
    case 'in':
      return op('in', toJson(e.operand), e.list.map(toJson));
    case 'between':
      return op('between', toJson(e.operand), toJson(e.low), toJson(e.high));
    case 'like':
      return op('like', toJson(e.operand), toJson(e.pattern));
    case 'isNull':
      return op('isNull', toJson(e.operand));
    case 'call':
      return op(standardCase[e.name] ?? e.name, ...e.args.map(toJson));
    case 'list':
      return e.items.map(toJson);
    case 'interval':
      return { interval: [e.from, e.to].map(intervalEnd) };
  }
}

/** Names that the standard writes with a capital inside. */
const standardCase: Readonly<Record<string, string>> = {
  a_containedby: 'a_containedBy',
  t_finishedby: 't_finishedBy',
  t_metby: 't_metBy',
  t_overlappedby: 't_overlappedBy',
  t_startedby: 't_startedBy',
};

function intervalEnd(e: Expression | null): unknown {
  if (e === null) return '..';
  // A bare text is read as what it looks like; what looks like the other says which it is.
  if (e.kind === 'literal' && (e.type === 'date' || e.type === 'moment') && isPlainEnd(e)) return e.text;
  return toJson(e);
}

class Reader {
  expression(json: Json, at: string, depth: number): Expression {
    if (depth > mostNesting) fail('too_deep', `The JSON may be nested ${mostNesting} deep; this is one more.`);
    if (json === null) return literal('null', '');
    if (typeof json === 'string') return literal('text', json);
    if (typeof json === 'boolean') return literal('yes_no', String(json));
    if (typeof json === 'number' || isLosslessNumber(json)) return literal('number', digits(json, at));
    if (Array.isArray(json)) {
      const items = (json as readonly Json[]).map((item, i) => this.expression(item, `${at}[${i}]`, depth + 1));
      return { kind: 'list', items, span };
    }
    return this.object(json as { readonly [key: string]: Json }, at, depth);
  }

  private object(json: { readonly [key: string]: Json }, at: string, depth: number): Expression {
    if (typeof json.property === 'string') return { kind: 'name', path: pathOf(json.property, at), span };
    if (typeof json.date === 'string') return literal('date', json.date);
    if (typeof json.timestamp === 'string') return literal('moment', json.timestamp);
    if (Array.isArray(json.interval)) {
      const ends = json.interval.map((item: Json, i) => this.expression(item, `${at}.interval[${i}]`, depth + 1));
      return interval(ends, span);
    }
    // The standard's own schema has the operand of isNull in a list, its examples have it by itself.
    if (json.op === 'isNull' && typeof json.args === 'object' && json.args !== null && !Array.isArray(json.args))
      return this.operation('isNull', [json.args], at, depth + 1);
    if (typeof json.op !== 'string' || !Array.isArray(json.args))
      return wrong(at, 'expected a value or an object with op and args, property, date, timestamp or interval');
    return this.operation(json.op, json.args as readonly Json[], at, depth + 1);
  }

  private operation(op: string, args: readonly Json[], at: string, depth: number): Expression {
    const count = (n: number): void => {
      if (args.length !== n) wrong(at, `“${clip(op)}” takes ${n} args, not ${args.length}`);
    };
    const arg = (i: number): Expression => this.expression(args[i]!, `${at}.args[${i}]`, depth);
    if (comparisons.includes(op as Comparison)) {
      count(2);
      return { kind: 'compare', op: op as Comparison, left: arg(0), right: arg(1), span };
    }
    if (arithmetics.includes(op as Arithmetic)) {
      count(2);
      return { kind: 'arithmetic', op: op as Arithmetic, left: arg(0), right: arg(1), span };
    }
    switch (op) {
      case 'and':
      case 'or':
        if (args.length < 2) wrong(at, `“${op}” takes two or more args`);
        return { kind: op, operands: args.map((_, i) => arg(i)), span };
      case 'not':
        count(1);
        return { kind: 'not', operand: arg(0), span };
      case 'isNull':
        count(1);
        return { kind: 'isNull', operand: arg(0), span };
      case 'between':
        count(3);
        return { kind: 'between', operand: arg(0), low: arg(1), high: arg(2), span };
      case 'like':
        count(2);
        return { kind: 'like', operand: arg(0), pattern: arg(1), span };
      case 'in': {
        count(2);
        if (!Array.isArray(args[1])) wrong(at, 'the second of the args of “in” is a list');
        const list = arg(1);
        return { kind: 'in', operand: arg(0), list: list.kind === 'list' ? list.items : [], span };
      }
    }
    if (!/^[\p{L}_][\p{L}\p{N}_]*$/u.test(op)) {
      const near = closest(op, [...comparisons, ...arithmetics, 'and', 'or', 'not', 'isNull', 'between', 'like', 'in']);
      return fail('syntax', `${at}: there is no operation “${clip(op)}”.`, { suggestions: near });
    }
    const all = args.map((_, i) => arg(i));
    return called(op.toLowerCase(), span, all, span);
  }
}

function literal(type: Extract<Expression, { kind: 'literal' }>['type'], text: string): Expression {
  return { kind: 'literal', type, text, span };
}

/** A float that came parsed has lost digits beyond 15; a text keeps them. */
function digits(json: number | LosslessNumber, at: string): string {
  const text = String(json);
  if (typeof json === 'number' && text.replace(/e.*|\D/g, '').replace(/^0+/, '').length > 15)
    wrong(at, 'the number has more digits than JSON keeps for sure; send the filter as a text of JSON');
  return canonicalDigits(text);
}

function pathOf(property: string, at: string): readonly Part[] {
  try {
    const tree = parse(property);
    if (tree.kind === 'name') return tree.path;
  } catch {
    // a field whose name is no plain word
  }
  if (property === '') return wrong(at, 'the property has no name');
  return [{ name: property, span }];
}

function wrong(at: string, what: string): never {
  return fail('syntax', `At ${at}: ${what}.`);
}
