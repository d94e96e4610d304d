import Big from 'big.js';
import { isClock } from '../../catalog/kinds/clock';
import type { FieldPath, Relation } from '../checked';
import { typeOf, type Checked } from '../checked';
import { ordersOnly, type Env } from '../functions/entry';
import { calculate } from '../functions/number';
import { openEnd } from '../functions/time';
import type { Comparison } from '../syntax';
import {
  bounded,
  boundedDay,
  boundedMoment,
  anyDay,
  anyMoment,
  dayAt,
  Day,
  farMoment,
  Unbounded,
  Interval,
  momentOfClock,
  order,
  startOf,
  type Value,
} from './value';
import { itemsOf } from './array';

/** A record whose fields can be read, as the texts the database would give. */
export interface Readable {
  read(path: FieldPath): string | null;
  /** What a field of its own was, where the record is what it becomes. */
  was?(path: FieldPath): string | null;
  /** The records that point at this one. */
  children(relation: Relation): readonly Readable[];
  /** Is the key the field holds in the selection? */
  selected(tree: Extract<Checked, { kind: 'selected' }>): boolean | null;
}

/**
 * The value of a checked and bound tree for a record: what `emit` makes the database give, to the last digit. Null is
 * blank, and for conditions unknown.
 */
export function evaluate(tree: Checked, record: Readable, env: Env): Value {
  const go = (node: Checked): Value => evaluate(node, record, env);
  const inCalculation = (node: Checked): Value => evaluateTame(node, record, env);
  switch (tree.kind) {
    case 'field':
      if (tree.at.isNew) throw new Error('What a job will write is not known here.');
      return fieldValue(tree.at, tree.at.isOld && record.was ? record.was(tree.at) : record.read(tree.at), env);
    case 'value':
      return valueOf(typeOf(tree), tree.text);
    case 'null':
      return null;
    case 'named':
      throw new Error(`The name “${tree.question.text}” was not bound.`);
    case 'blank': {
      const found = go(tree.operand);
      return found === null || (found === '' && isText(tree.operand));
    }
    case 'not':
      return not(go(tree.operand));
    case 'and':
      return all(tree.operands.map(go));
    case 'or':
      return not(all(tree.operands.map((o) => not(go(o)))));
    case 'compare':
      return compared(tree.op, go(tree.left), go(tree.right));
    case 'in': {
      const operand = go(tree.operand);
      return not(all(tree.list.map((item) => not(compared('=', operand, go(item))))));
    }
    case 'between': {
      const operand = go(tree.operand);
      return all([compared('>=', operand, go(tree.low)), compared('<=', operand, go(tree.high))]);
    }
    case 'like':
      return like(go(tree.operand), go(tree.pattern));
    case 'isNull':
      return go(tree.operand) === null;
    case 'arithmetic':
      return arithmetic(tree, inCalculation(tree.left), inCalculation(tree.right));
    case 'call': {
      const args = tree.args.map(ordersOnly(tree.entry) ? go : inCalculation);
      if (!tree.entry.takesBlanks && args.includes(null)) return null;
      return tree.entry.evaluate(args, env);
    }
    case 'convert':
      return convert(tree, go(tree.operand), env);
    case 'list':
      return tree.items.map(inCalculation);
    case 'interval':
      return new Interval(tree.from ? go(tree.from) : openEnd, tree.to ? go(tree.to) : openEnd);
    case 'children':
      return children(tree, record, env);
    case 'planned':
    case 'breaks':
      return go(tree.operand);
    case 'place':
      // One record alone has no place among others.
      return null;
    case 'selected':
      return record.selected(tree);
  }
}

/** The same for a calculation: a field is blank that holds what the language has no place for (`canonicalSql`). */
export function evaluateTame(tree: Checked, record: Readable, env: Env): Value {
  switch (tree.kind) {
    case 'field':
      return tame(evaluate(tree, record, env));
    case 'planned':
      return evaluateTame(tree.operand, record, env);
    case 'convert':
      return convert(tree, evaluateTame(tree.operand, record, env), env);
    default:
      return evaluate(tree, record, env);
  }
}

function tame(v: Value): Value {
  if (v instanceof Unbounded) return null;
  if (v instanceof Big) return bounded(v);
  if (v instanceof Day) return boundedDay(v.number);
  return typeof v === 'bigint' ? boundedMoment(v) : v;
}

/** A field's text as a value, whatever is in it. */
function fieldValue(at: FieldPath, text: string | null, env: Env): Value {
  if (text === null) return null;
  const { base, dbType } = at.field;
  if (base === 'list') {
    const item = typeOf({ kind: 'value', dbType: dbType.replace(/\[\]$/, ''), text: '' });
    return itemsOf(text).map((i) => (i === null ? null : valueOf(item, i)));
  }
  if (base === 'moment' && isClock(dbType)) return clock(text, env.timeZone);
  return valueOf(typeOf({ kind: 'field', at }), text);
}

function valueOf(type: ReturnType<typeof typeOf>, text: string): Value {
  switch (type) {
    case 'number':
      return anyNumber(text);
    case 'yes_no':
      return text === 'true' || text === 't';
    case 'date':
      return anyDay(text);
    case 'moment':
      return anyMoment(text);
    default:
      return text;
  }
}

/** All the digits that are stored, as comparisons see them; calculations round them, see `tame`. */
function anyNumber(text: string): Value {
  if (!/^[-+.\d]/.test(text) || text.endsWith('Infinity')) return new Unbounded(Number(text));
  const exact = new Big(text);
  return bounded(exact) === null ? new Unbounded(Number(text)) : exact;
}

/** The moment that clocks of a zone mean; what is beyond the years that zones are known for is infinitely far. */
function clock(text: string, timeZone: string): bigint {
  const shown = anyMoment(text);
  if (boundedMoment(shown) !== null) return momentOfClock(text, timeZone);
  return shown < 0n ? -farMoment : farMoment;
}

function isText(operand: Checked): boolean {
  return operand.kind === 'field' && operand.at.field.base === 'text' && !operand.at.field.choices;
}

function not(truth: Value): Value {
  return truth === null ? null : truth !== true;
}

function all(truths: readonly Value[]): Value {
  if (truths.includes(false)) return false;
  return truths.includes(null) ? null : true;
}

function compared(op: Comparison, a: Value, b: Value): Value {
  if (a === null || b === null) return null;
  const found = order(a, b);
  switch (op) {
    case '=':
      return found === 0;
    case '<>':
      return found !== 0;
    case '<':
      return found < 0;
    case '<=':
      return found <= 0;
    case '>':
      return found > 0;
    case '>=':
      return found >= 0;
  }
}

/** `%` any text, `_` one character, `\` before either for itself (SQL). */
function like(text: Value, pattern: Value): Value {
  if (text === null || pattern === null) return null;
  const escaped = (pattern as string).replace(/\\(.)|[%_]|[\^$.*+?()[\]{}|/]/gsu, (hit, literal?: string) => {
    if (literal !== undefined) return literal.replace(/[\^$.*+?()[\]{}|/\\]/g, '\\$&');
    return hit === '%' ? '.*' : hit === '_' ? '.' : `\\${hit}`;
  });
  return new RegExp(`^${escaped}$`, 'su').test(text as string);
}

function arithmetic(tree: Extract<Checked, { kind: 'arithmetic' }>, a: Value, b: Value): Value {
  if (a === null || b === null) return null;
  if (tree.type === 'date') {
    const days = Number((b as Big).round(0, Big.roundDown));
    if ((b as Big).abs().gt(4_000_000)) return null;
    return boundedDay((a as Day).number + (tree.op === '-' ? -days : days));
  }
  if (a instanceof Day) return new Big(a.number - (b as Day).number);
  return calculate(tree.op, a as Big, b as Big);
}

function convert(tree: Extract<Checked, { kind: 'convert' }>, operand: Value, env: Env): Value {
  if (operand === null) return null;
  // Beyond the years 1 to 9999 it is infinitely far.
  if (tame(operand) === null) {
    const isAfter = (operand instanceof Day ? operand.number : (operand as bigint)) > 0;
    if (tree.type === 'date') return new Day(isAfter ? Infinity : -Infinity);
    return isAfter ? farMoment : -farMoment;
  }
  if (tree.type === 'date') return dayAt(operand as bigint, env.timeZone);
  const { number } = operand as Day;
  return tree.last ? startOf(new Day(number + 1), env.timeZone) - 1n : startOf(operand as Day, env.timeZone);
}

function children(tree: Extract<Checked, { kind: 'children' }>, record: Readable, env: Env): Value {
  const { relation, condition, fold, value } = tree;
  const found = record
    .children(relation)
    .filter((child) => condition === null || evaluate(condition, child, env) === true);
  if (fold === 'has') return found.length > 0;
  if (fold === 'count' || value === null) return new Big(found.length);
  const values = found.map((child) => evaluateTame(value, child, env)).filter((v) => v !== null);
  if (values.length === 0) return null;
  if (fold === 'min' || fold === 'max') {
    const sign = fold === 'min' ? 1 : -1;
    return values.reduce((best, v) => (order(v, best) * sign < 0 ? v : best));
  }
  const sum = values.reduce<Big>((total, v) => total.plus(v as Big), new Big(0));
  return fold === 'sum' ? bounded(sum) : calculate('/', sum, new Big(values.length));
}
