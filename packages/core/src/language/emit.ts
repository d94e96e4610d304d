import { join, raw, sql, value, type Sql } from '../sql/sql';
import { conditionBy, familyBy, keysBy, type KeyRange } from './which';
import { ofBase } from '../catalog/kinds';
import { typeOf, walk, type Checked, type CheckedRelated, type CheckedSelection, type FieldPath } from './checked';
import { intervalSql } from './functions/time';
import type { Scope } from './scope';
import type { Arithmetic, Comparison } from './syntax';
import { type ValueType } from './types';
import { isClock } from '../catalog/kinds/clock';

/**
 * A checked and bound tree as SQL, total: it yields a value or null, and aborts no statement. Values travel only as
 * parameters. Comparisons of a field with a value keep the field's own type, so that indexes serve them.
 */
export function emit(tree: Checked, scope: Scope): Sql {
  switch (tree.kind) {
    case 'field':
      return scope.column(tree.at);
    case 'value':
      return literal(tree);
    case 'null':
      return raw(`null::${dbTypes[tree.type]}`);
    case 'named':
      throw new Error(`The name “${tree.question.text}” was not bound.`);
    case 'blank':
      return blank(tree.operand, scope);
    case 'not':
      return sql`(not ${emit(tree.operand, scope)})`;
    case 'and':
    case 'or':
      return sql`(${join(
        tree.operands.map((o) => emit(o, scope)),
        ` ${tree.kind} `,
      )})`;
    case 'compare':
      return compare(tree.op, tree.left, tree.right, scope);
    case 'in':
      return inList(tree, scope);
    case 'between':
      return sql`(${compare('>=', tree.operand, tree.low, scope)} and ${compare('<=', tree.operand, tree.high, scope)})`;
    case 'like':
      return sql`(${canonicalSql(tree.operand, scope)} like ${canonicalSql(tree.pattern, scope)})`;
    case 'isNull':
      return sql`(${tree.operand.kind === 'field' ? emit(tree.operand, scope) : canonicalSql(tree.operand, scope)} is null)`;
    case 'arithmetic':
      return arithmetic(tree, scope);
    case 'call':
      return tree.entry.sql(argumentsOf(tree.args, scope), scope.env);
    case 'convert':
      return convert(tree, scope);
    case 'list':
      return sql`array[${join(
        tree.items.map((i) => canonicalSql(i, scope)),
        ', ',
      )}]::${raw(tree.dbType)}[]`;
    case 'interval':
      return interval(tree, scope);
    case 'children':
      return children(tree, scope);
    case 'planned':
      return scope.asPlanned(() => emit(tree.operand, scope));
    case 'place':
      return scope.place(tree.what);
    case 'selected':
      return sql`(${tree.key === null ? scope.key() : scope.column(tree.key)} in (${keysOf(tree.selection, scope)}))`;
  }
}

/** Lists of two types of the database (text and varchar, two enums) meet as lists of the one that both are in the language. */
function argumentsOf(args: readonly Checked[], scope: Scope): Sql[] {
  const lists = args.filter((a) => typeOf(a) === 'list').map(itemDbType);
  const common = new Set(lists).size > 1 ? raw(commonType(lists)) : null;
  return args.map((a) =>
    common && typeOf(a) === 'list' ? sql`${canonicalSql(a, scope)}::${common}[]` : canonicalSql(a, scope),
  );
}

/** The database's type of a list's items. */
function itemDbType(tree: Checked): string {
  if (tree.kind === 'list') return tree.dbType;
  return tree.kind === 'field' ? tree.at.field.dbType.replace(/\[\]$/, '') : 'text';
}

function commonType(dbTypesOfItems: readonly string[]): string {
  const types = new Set(dbTypesOfItems.map((dbType) => typeOf({ kind: 'value', dbType, text: '' })));
  const [only = 'text'] = types;
  return types.size === 1 ? dbTypes[only] : 'text';
}

/** One database type for each type of the language, in which functions and calculations work. */
const dbTypes: Readonly<Record<ValueType, string>> = {
  text: 'text',
  blank: 'text',
  number: 'numeric',
  yes_no: 'boolean',
  date: 'date',
  moment: 'timestamptz',
  list: 'text[]',
  interval: 'date',
};

/** The same in the one database type of its kind; texts ordered by code point. */
export function canonicalSql(tree: Checked, scope: Scope): Sql {
  if (tree.kind === 'field') return canonicalField(tree.at, scope);
  if (tree.kind !== 'value') return emit(tree, scope);
  const type = typeOf(tree);
  if (type === 'text') return sql`(${value(tree.text)}::text collate "C")`;
  if (isClock(tree.dbType)) return sql`${value(tree.text)}::${raw(tree.dbType)}`;
  return sql`${value(tree.text)}::${raw(dbTypes[type])}`;
}

function canonicalField(at: FieldPath, scope: Scope): Sql {
  const { base, dbType } = at.field;
  return ofBase(base).asValue(scope.column(at), dbType, (clock) => atZone(clock, scope));
}

function atZone(time: Sql, scope: Scope): Sql {
  return sql`(${time} at time zone ${value(scope.env.timeZone)})`;
}

function literal(tree: Extract<Checked, { kind: 'value' }>): Sql {
  return sql`${value(tree.text)}::${raw(tree.dbType)}`;
}

function compare(op: Comparison, left: Checked, right: Checked, scope: Scope): Sql {
  const day = byDay(op, left, right, scope) ?? byDay(mirrored[op], right, left, scope);
  if (day) return day;
  if (!isPlain(left) || !isPlain(right) || clocksMeetOthers(left, right))
    return sql`(${canonicalSql(left, scope)} ${raw(op)} ${canonicalSql(right, scope)})`;
  const text = typeOf(left) === 'text' && op !== '=' && op !== '<>' ? raw(' collate "C"') : raw('');
  return sql`(${emit(left, scope)}${text} ${raw(op)} ${emit(right, scope)})`;
}

const mirrored: Record<Comparison, Comparison> = { '=': '=', '<>': '<>', '<': '>', '<=': '>=', '>': '<', '>=': '<=' };

/** Fields and values compare as they are; but for floats, which have NaN and infinities, and no exact digits. */
function isPlain(tree: Checked): boolean {
  return tree.kind === 'value' || (tree.kind === 'field' && !isFloat(tree));
}

function isFloat(tree: Checked): boolean {
  return tree.kind === 'field' && /^(real|double)/.test(tree.at.field.dbType);
}

/**
 * A field without a time zone beside anything but its like: its clock is turned into the moment it means. (Turning the
 * other side to its clock would let an index serve, but clocks that are skipped or shown twice would meet the wrong one.)
 */
function clocksMeetOthers(left: Checked, right: Checked): boolean {
  const clock = (t: Checked): boolean => t.kind === 'field' && isClock(t.at.field.dbType);
  return clock(left) !== clock(right);
}

/** A field's moment against a day that no field has a part in: as a stretch of moments, which an index can serve. */
function byDay(op: Comparison, left: Checked, day: Checked, scope: Scope): Sql | undefined {
  if (left.kind !== 'convert' || left.type !== 'date' || left.operand.kind !== 'field' || !isConstant(day))
    return undefined;
  const column = emit(left.operand, scope);
  const start = (days: number): Sql => {
    const clock = sql`(${canonicalSql(day, scope)} + ${raw(String(days))})::timestamp`;
    return isClock((left.operand as Extract<Checked, { kind: 'field' }>).at.field.dbType)
      ? clock
      : atZone(clock, scope);
  };
  switch (op) {
    case '=':
      return sql`(${column} >= ${start(0)} and ${column} < ${start(1)})`;
    case '<>':
      return sql`(not (${column} >= ${start(0)} and ${column} < ${start(1)}))`;
    case '<':
      return sql`(${column} < ${start(0)})`;
    case '<=':
      return sql`(${column} < ${start(1)})`;
    case '>':
      return sql`(${column} >= ${start(1)})`;
    case '>=':
      return sql`(${column} >= ${start(0)})`;
  }
}

function isConstant(tree: Checked): boolean {
  let constant = true;
  walk(tree, (node) => (constant &&= node.kind !== 'field' && node.kind !== 'children'));
  return constant;
}

/** A list of plain values beside a field travels as one array; all else is compared one by one. */
function inList(tree: Extract<Checked, { kind: 'in' }>, scope: Scope): Sql {
  const { operand } = tree;
  const texts = new Map<string, string[]>();
  const others: Sql[] = [];
  for (const item of tree.list) {
    const asArray = isPlain(operand) && item.kind === 'value' && !clocksMeetOthers(operand, item);
    if (!asArray) others.push(compare('=', operand, item, scope));
    else if (!texts.get(item.dbType)?.push(item.text)) texts.set(item.dbType, [item.text]);
  }
  const arrays = [...texts].map(
    ([dbType, list]) => sql`${emit(operand, scope)} = any(${value(list)}::text[]::${raw(dbType)}[])`,
  );
  // Nothing is one of none.
  if (tree.list.length === 0) return raw('false');
  return sql`(${join([...arrays, ...others], ' or ')})`;
}

/** Null or, for texts, empty. */
function blank(operand: Checked, scope: Scope): Sql {
  const column = emit(operand, scope);
  const isText = operand.kind === 'field' && operand.at.field.base === 'text' && !operand.at.field.choices;
  return isText ? sql`(${column} is null or ${column} = '')` : sql`(${column} is null)`;
}

const calculations: Readonly<Record<Arithmetic, Sql>> = {
  '+': sql`tantamos.plus`,
  '-': sql`tantamos.minus`,
  '*': sql`tantamos.times`,
  '/': sql`tantamos.divide`,
  '%': sql`tantamos.remainder`,
  div: sql`tantamos.whole_quotient`,
  '^': sql`tantamos.power`,
};

function arithmetic(tree: Extract<Checked, { kind: 'arithmetic' }>, scope: Scope): Sql {
  const [a, b] = [canonicalSql(tree.left, scope), canonicalSql(tree.right, scope)];
  if (tree.type === 'date') return sql`tantamos.day_plus(${a}, ${tree.op === '-' ? sql`-${b}` : b})`;
  if (typeOf(tree.left) === 'date') return sql`(${a} - ${b})::numeric`;
  return sql`${calculations[tree.op]}(${a}, ${b})`;
}

function convert(tree: Extract<Checked, { kind: 'convert' }>, scope: Scope): Sql {
  const operand = canonicalSql(tree.operand, scope);
  if (tree.type === 'date') return sql`${atZone(operand, scope)}::date`;
  if (tree.last) return sql`(${atZone(sql`(${operand} + 1)::timestamp`, scope)} - interval '1 microsecond')`;
  return atZone(sql`${operand}::timestamp`, scope);
}

function interval(tree: Extract<Checked, { kind: 'interval' }>, scope: Scope): Sql {
  const dbType = tree.of === 'date' ? 'date' : 'timestamptz';
  const end = (e: Checked | null, open: string): Sql => (e ? canonicalSql(e, scope) : raw(`'${open}'::${dbType}`));
  return intervalSql(end(tree.from, '-infinity'), end(tree.to, 'infinity'));
}

/**
 * `has` is a question the planner turns into a semi-join. What is counted or summed is grouped once and joined: asked
 * for each record anew it would read the children of a type without an index as often as there are records.
 */
function children(tree: Extract<Checked, { kind: 'children' }>, scope: Scope): Sql {
  const { relation, condition, fold } = tree;
  const inner = scope.inner(relation.child);
  const parent = inner.own(relation.field.name);
  const holds = join(
    [...(condition ? [emit(condition, inner)] : []), ...inner.standing()].map((test) => sql` and ${test}`),
    '',
  );
  if (fold === 'has') return sql`(exists (select from ${inner.from()} where ${parent} = ${scope.key()}${holds}))`;
  const amount = folded(tree, inner);
  const table = sql`(select ${parent} as parent, ${amount} as amount from ${inner.from()} where ${parent} is not null${holds} group by 1)`;
  const alias = scope.joined(table, (a) => sql`${a}.parent = ${scope.key()}`);
  return fold === 'count' ? sql`coalesce(${alias}.amount, 0)` : sql`${alias}.amount`;
}

function folded({ fold, value: of }: Extract<Checked, { kind: 'children' }>, inner: Scope): Sql {
  if (fold === 'count' || of === null) return sql`count(*)::numeric`;
  const each = canonicalSql(of, inner);
  if (fold === 'sum') return sql`tantamos.bounded(sum(${each}))`;
  if (fold === 'average') return sql`tantamos.divide(sum(${each}), count(${each}))`;
  return sql`${raw(fold)}(${each})`;
}

/** What a selection asks of a record, within a key range if one is given. */
export function conditionOf(selection: CheckedSelection, scope: Scope, range?: KeyRange): Sql {
  return conditionBy(emit, selection, scope, range);
}

/** The keys of the selected records, as a statement to stand inside another. */
export function keysOf(selection: CheckedSelection, scope: Scope): Sql {
  return keysBy(emit, selection, scope);
}

/** The rows `key`, `step`, `again` of a walk along a self-reference; `again` marks where a circle closes. */
export function family(related: CheckedRelated, scope: Scope): Sql {
  return familyBy(emit, related, scope);
}
