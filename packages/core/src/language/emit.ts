import { join, raw, sql, value, type Sql } from '../sql/sql';
import { conditionBy, familyBy, keysBy, type KeyRange } from './which';
import { ofBase } from '../catalog/kinds';
import { typeOf, walk, type Checked, type CheckedRelated, type CheckedSelection } from './checked';
import { dayFrom, numberOf, numberText } from './evaluate/value';
import { daysOn } from './functions/date';
import { calculation } from './functions/number';
import { ordersOnly } from './functions/entry';
import { IntervalTerm } from './functions/time';
import type { Scope } from './scope';
import type { Comparison } from './syntax';
import { anyOf, date, Ground, Term, whole } from './term';
import { type ValueType } from './types';
import { isClock } from '../catalog/kinds/clock';

/**
 * A checked and bound tree as SQL, total: it yields a value or null, and aborts no statement. Values travel only as
 * parameters. Comparisons of a field with a value keep the field's own type, so that indexes serve them.
 */
export function emit(tree: Checked, scope: Scope): Sql {
  return sqlOf(tree, new Place(scope));
}

/** The same in the one database type of its type in the language; texts ordered by code point. */
export function canonicalSql(tree: Checked, scope: Scope): Sql {
  return canonicalTerm(tree, scope).canonical;
}

/** The same, with what is known of its values. */
export function canonicalTerm(tree: Checked, scope: Scope): Term {
  return termOf(tree, new Place(scope));
}

/** Where a tree is put into SQL: the aliases there, and the ground that the calculation it is part of stands on. */
class Place {
  constructor(
    readonly scope: Scope,
    readonly ground: Ground | null = null,
    /** What stands for parts that join a table: they join it once, however often they are said. */
    readonly made = new Map<Checked, Sql>(),
  ) {}

  on(ground: Ground): Place {
    return new Place(this.scope, ground, this.made);
  }

  once(tree: Checked, make: () => Sql): Sql {
    const known = this.made.get(tree) ?? make();
    this.made.set(tree, known);
    return known;
  }
}

function sqlOf(tree: Checked, place: Place): Sql {
  const { scope } = place;
  switch (tree.kind) {
    case 'field':
      return scope.column(tree.at);
    case 'value':
      return literal(tree);
    case 'named':
      throw new Error(`The name “${tree.question.text}” was not bound.`);
    case 'blank':
      return blank(tree.operand, place);
    case 'not':
      return sql`(not ${sqlOf(tree.operand, place)})`;
    case 'and':
    case 'or':
      return sql`(${join(
        tree.operands.map((o) => sqlOf(o, place)),
        ` ${tree.kind} `,
      )})`;
    case 'compare':
      return compare(tree.op, tree.left, tree.right, place);
    case 'in':
      return inList(tree, place);
    case 'between':
      return between(tree, place);
    case 'like':
      return sql`(${canonical(tree.operand, place)} like ${canonical(tree.pattern, place)})`;
    case 'isNull':
      return sql`(${tree.operand.kind === 'field' ? sqlOf(tree.operand, place) : canonical(tree.operand, place)} is null)`;
    case 'list':
      return sql`array[${join(
        tree.items.map((i) => canonical(i, place)),
        ', ',
      )}]::${raw(tree.dbType)}[]`;
    case 'planned':
      return scope.asPlanned(() => sqlOf(tree.operand, place));
    case 'breaks':
      return sqlOf(tree.operand, place);
    case 'place':
      return scope.place(tree.what);
    case 'selected':
      return sql`(${tree.key === null ? scope.key() : scope.column(tree.key)} in (${keysOf(tree.selection, scope)}))`;
    case 'children':
      return place.once(tree, () => children(tree, scope));
    default:
      return canonical(tree, place);
  }
}

const canonical = (tree: Checked, place: Place): Sql => termOf(tree, place).canonical;

/** What a tree is worth: a value of the language, with what is known of it. */
function termOf(tree: Checked, place: Place): Term {
  switch (tree.kind) {
    case 'call':
    case 'arithmetic':
      return place.ground ? calculated(tree, place, place.ground) : onFirmGround(tree, place);
    case 'field':
      return ofBase(tree.at.field.base).term(
        place.scope.column(tree.at),
        tree.at.field.dbType,
        groundAt(place),
        (clock) => atZone(clock, place.scope),
      );
    case 'value':
      return constant(tree);
    case 'null': {
      const none = raw(`null::${dbTypes[tree.type]}`);
      return tree.type === 'number' ? whole(raw('null::bigint'), 0, 0) : new Term(none, tree.type);
    }
    case 'convert':
      return convert(tree, place);
    case 'interval':
      return interval(tree, place);
    case 'planned':
      return place.scope.asPlanned(() => termOf(tree.operand, place));
    case 'place':
      // Counted by the database; what is in use may be any number.
      if (tree.what === 'highest') return new Term(sqlOf(tree, place), 'number');
      return whole(sqlOf(tree, place), 0, mostCounted);
    default:
      return new Term(sqlOf(tree, place), typeOf(tree));
  }
}

/** More records than a selection can have. */
const mostCounted = 2 ** 31;

/** A calculation as it is for nearly all records, where that is simpler, beside what is right for every one. */
function onFirmGround(tree: Calculation, place: Place): Term {
  const [any, usual, rare] = [groundOf(place, 'any'), groundOf(place, 'usual'), groundOf(place, 'rare')];
  const always = calculated(tree, place.on(any), any);
  if (any.falls === 0 && any.looks < 2) return always;
  const mostly = calculated(tree, place.on(usual), usual);
  // One test of each column must be worth it.
  const fewerLooks = usual.falls === any.falls && any.looks > usual.tests.size;
  if (usual.tests.size === 0 || !(usual.falls < any.falls || fewerLooks)) return always;
  const rarely = calculated(tree, place.on(rare), rare);
  const tests = join([...usual.tests.values()], ' and ');
  return new Term(sql`(case when ${tests} then ${mostly.canonical} else ${rarely.canonical} end)`, always.type);
}

const groundOf = (place: Place, columns: Ground['columns']): Ground =>
  new Ground(columns, () => place.scope.newAlias());

const groundAt = (place: Place): Ground => place.ground ?? groundOf(place, 'any');

type Calculation = Extract<Checked, { kind: 'call' | 'arithmetic' }>;

function calculated(tree: Calculation, place: Place, ground: Ground): Term {
  return tree.kind === 'call'
    ? tree.entry.sql(
        ordersOnly(tree.entry) ? tree.args.map((a) => ordered(a, place)) : argumentsOf(tree.args, place),
        place.scope.env,
        ground,
      )
    : arithmetic(tree, place, ground);
}

function ordered(tree: Checked, place: Place): Term {
  return tree.kind === 'interval' ? interval(tree, place) : new Term(side(tree, place), typeOf(tree));
}

/** Lists of two types of the database (text and varchar, two enums) meet as lists of the one that both are in the language. */
function argumentsOf(args: readonly Checked[], place: Place): Term[] {
  const lists = args.filter((a) => typeOf(a) === 'list').map(itemDbType);
  const common = new Set(lists).size > 1 ? raw(commonType(lists)) : null;
  return args.map((a) =>
    common && typeOf(a) === 'list' ? new Term(sql`${canonical(a, place)}::${common}[]`, 'list') : termOf(a, place),
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

/** A literal; numbers as the language keeps them. */
function constant(tree: Extract<Checked, { kind: 'value' }>): Term {
  const type = typeOf(tree);
  if (type === 'text') {
    const octets = new TextEncoder().encode(tree.text).length;
    return new Term(
      sql`(${value(tree.text)}::text collate "C")`,
      type,
      { low: 0, high: octets, digits: 0 },
      false,
      tree.text,
    );
  }
  if (type === 'number') return number(tree.text);
  if (isClock(tree.dbType)) return new Term(sql`${value(tree.text)}::${raw(tree.dbType)}`, type);
  const known =
    type === 'date' ? { ...anyOf(type), low: dayFrom(tree.text).number, high: dayFrom(tree.text).number } : anyOf(type);
  return new Term(sql`${value(tree.text)}::${raw(dbTypes[type])}`, type, known, false, tree.text);
}

function number(said: string): Term {
  const found = numberOf(said);
  if (found === null) return whole(raw('null::bigint'), 0, 0);
  const text = numberText(found);
  const n = Number(text);
  const isWhole = Number.isSafeInteger(n) && !text.includes('.');
  const digits = text.split('.')[1]?.length ?? 0;
  return new Term(
    sql`${value(text)}::${raw(isWhole ? 'bigint' : 'numeric')}`,
    'number',
    { low: n, high: n, digits },
    isWhole,
    text,
  );
}

function atZone(time: Sql, scope: Scope): Sql {
  return sql`(${time} at time zone ${value(scope.env.timeZone)})`;
}

function literal(tree: Extract<Checked, { kind: 'value' }>): Sql {
  return sql`${value(tree.text)}::${raw(tree.dbType)}`;
}

/**
 * Values compare as the database orders them: minus infinity and what lies before the year 1 come first, what lies after
 * the year 9999 and infinity last, and after all numbers what is none.
 */
function compare(op: Comparison, left: Checked, right: Checked, place: Place): Sql {
  const day = byDay(op, left, right, place) ?? byDay(mirrored[op], right, left, place);
  if (day) return day;
  if (!isPlain(left) || !isPlain(right) || clocksMeetOthers(left, right))
    return sql`(${side(left, place)} ${raw(op)} ${side(right, place)})`;
  const text = typeOf(left) === 'text' && op !== '=' && op !== '<>' ? raw(' collate "C"') : raw('');
  return sql`(${sqlOf(left, place)}${text} ${raw(op)} ${sqlOf(right, place)})`;
}

/** A field as it is, whatever is in it; anything else as a value of the language. */
function side(tree: Checked, place: Place): Sql {
  if (tree.kind === 'planned') return place.scope.asPlanned(() => side(tree.operand, place));
  if (tree.kind === 'convert' && tree.operand.kind === 'field') return converted(tree, place);
  if (tree.kind !== 'field') return termOf(tree, place).sql;
  const { base, dbType } = tree.at.field;
  const column = place.scope.column(tree.at);
  if (isFloat(tree)) return sql`${column}::text::numeric`;
  if (isClock(dbType)) return farOr(column, 'timestamp', 'timestamptz', atZone(column, place.scope));
  return base === 'number' || base === 'date' || base === 'moment' ? column : termOf(tree, place).sql;
}

/** What lies beyond the years 1 to 9999 is infinitely far for a calculation with zones; `near` is made of the others. */
function farOr(column: Sql, from: string, to: string, near: Sql): Sql {
  const [type, made] = [raw(from), raw(to)];
  // A day's room at both ends, as `tantamos.bounded` has it.
  return sql`(case when ${column} between ${type} '0001-01-02' and ${type} '9999-12-31' then ${near}
    when ${column} < ${type} '0001-01-02' then ${made} '-infinity' when ${column} is not null then ${made} 'infinity' end)`;
}

function converted(tree: Extract<Checked, { kind: 'convert' }>, place: Place): Sql {
  const column = side(tree.operand, place);
  return tree.type === 'date'
    ? farOr(column, 'timestamptz', 'date', inOtherType(tree, column, place.scope))
    : farOr(column, 'date', 'timestamptz', inOtherType(tree, column, place.scope));
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
function byDay(op: Comparison, left: Checked, day: Checked, place: Place): Sql | undefined {
  if (left.kind !== 'convert' || left.type !== 'date' || left.operand.kind !== 'field' || !isConstant(day))
    return undefined;
  const column = sqlOf(left.operand, place);
  const start = (days: number): Sql => {
    const clock = sql`(${canonical(day, place)} + ${raw(String(days))})::timestamp`;
    return isClock((left.operand as Extract<Checked, { kind: 'field' }>).at.field.dbType)
      ? clock
      : atZone(clock, place.scope);
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

/** A field is compared with each end as anything is with it; what was worked out is named twice, and made once. */
function between({ operand, low, high }: Extract<Checked, { kind: 'between' }>, place: Place): Sql {
  if (!isMade(operand)) return sql`(${compare('>=', operand, low, place)} and ${compare('<=', operand, high, place)})`;
  const ends = [low, high].map((end) => side(end, place));
  return groundAt(place).once([side(operand, place)], (o) => sql`(${o} >= ${ends[0]!} and ${o} <= ${ends[1]!})`);
}

/** Was it worked out, so that it is longer than its name? */
function isMade(tree: Checked): boolean {
  return tree.kind !== 'field' && tree.kind !== 'value' && !(tree.kind === 'convert' && tree.operand.kind === 'field');
}

/** A list of plain values beside a field travels as one array; all else is compared one by one. */
function inList(tree: Extract<Checked, { kind: 'in' }>, place: Place): Sql {
  const { operand } = tree;
  // Nothing is one of none.
  if (tree.list.length === 0) return raw('false');
  if (isMade(operand)) {
    const items = tree.list.map((item) => side(item, place));
    const oneOf = (o: Sql): Sql =>
      join(
        items.map((item) => sql`${o} = ${item}`),
        ' or ',
      );
    return sql`(${groundAt(place).once([side(operand, place)], (o) => oneOf(o))})`;
  }
  const texts = new Map<string, string[]>();
  const others: Sql[] = [];
  for (const item of tree.list) {
    const asArray = isPlain(operand) && item.kind === 'value' && !clocksMeetOthers(operand, item);
    if (!asArray) others.push(compare('=', operand, item, place));
    else if (!texts.get(item.dbType)?.push(item.text)) texts.set(item.dbType, [item.text]);
  }
  const arrays = [...texts].map(
    ([dbType, list]) => sql`${sqlOf(operand, place)} = any(${value(list)}::text[]::${raw(dbType)}[])`,
  );
  return sql`(${join([...arrays, ...others], ' or ')})`;
}

/** Null or, for texts, empty. */
function blank(operand: Checked, place: Place): Sql {
  const column = sqlOf(operand, place);
  const isText = operand.kind === 'field' && operand.at.field.base === 'text' && !operand.at.field.choices;
  return isText ? sql`(${column} is null or ${column} = '')` : sql`(${column} is null)`;
}

function arithmetic(tree: Extract<Checked, { kind: 'arithmetic' }>, place: Place, ground: Ground): Term {
  const [a, b] = [termOf(tree.left, place), termOf(tree.right, place)];
  if (tree.type === 'date') return daysOn(a, b, tree.op === '-' ? -1 : 1, ground);
  if (typeOf(tree.left) === 'date') return whole(sql`(${a.sql} - ${b.sql})::bigint`, a.low - b.high, a.high - b.low);
  return calculation(tree.op, a, b, ground);
}

function convert(tree: Extract<Checked, { kind: 'convert' }>, place: Place): Term {
  const made = inOtherType(tree, canonical(tree.operand, place), place.scope);
  return tree.type === 'date' ? date(made) : new Term(made, 'moment');
}

/** A moment's day, or a day's first or last moment. */
function inOtherType({ type, last }: Extract<Checked, { kind: 'convert' }>, from: Sql, scope: Scope): Sql {
  if (type === 'date') return sql`${atZone(from, scope)}::date`;
  if (last) return sql`(${atZone(sql`(${from} + 1)::timestamp`, scope)} - interval '1 microsecond')`;
  return atZone(sql`${from}::timestamp`, scope);
}

function interval(tree: Extract<Checked, { kind: 'interval' }>, place: Place): Term {
  const dbType = tree.of === 'date' ? 'date' : 'timestamptz';
  const end = (e: Checked | null, open: string): Sql => (e ? side(e, place) : raw(`'${open}'::${dbType}`));
  return new IntervalTerm(end(tree.from, '-infinity'), end(tree.to, 'infinity'));
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
