import { hasKey, keyAmong, keyText, keyUnpacked } from '../catalog/key';
import type { Checked, CheckedRelated, CheckedSelection, CheckedTake } from './checked';
import { tableOf, type Scope } from './scope';
import { letterOf } from '../job/outcome';
import { identifier, join, raw, sql, value, type Sql } from '../sql/sql';

/** A stretch of the key's first field, lower end in, upper end out; null: open. */
export interface KeyRange {
  readonly from: string | null;
  readonly to: string | null;
}

/** How a condition becomes SQL. */
type Emit = (tree: Checked, scope: Scope) => Sql;

/** What a selection asks of a record, within a key range if one is given; `emit.ts` gives it what its conditions become. */
export function conditionBy(emit: Emit, selection: CheckedSelection, scope: Scope, range?: KeyRange): Sql {
  const tests: Sql[] = [];
  const { type, take } = selection;
  if (take) tests.push(sql`${scope.key()} in (${taken(emit, selection, take, scope)})`);
  else tests.push(...beforeTaking(emit, selection, scope));
  if (hasKey(type)) {
    const { keys, drop } = selection;
    if (keys) tests.push(keyAmong(type, scope.root, keys));
    if (drop) tests.push(keyAmong(type, scope.root, drop, true));
    const first = scope.keys()[0]!;
    const dbType = raw(type.fields.find((f) => f.name === type.key[0])!.dbType);
    if (range?.from != null) tests.push(sql`${first} >= ${value(range.from)}::text::${dbType}`);
    if (range?.to != null) tests.push(sql`${first} < ${value(range.to)}::text::${dbType}`);
  }
  return tests.length > 0 ? join(tests, ' and ') : raw('true');
}

/** The keys of the selected records, as a statement to stand inside another. */
export function keysBy(emit: Emit, selection: CheckedSelection, scope: Scope): Sql {
  const inner = scope.inner(selection.type);
  const where = conditionBy(emit, selection, inner);
  return sql`select ${columns(inner)} from ${inner.from()} where ${where}`;
}

function columns(scope: Scope): Sql {
  return join(scope.keys(), ', ');
}

function beforeTaking(emit: Emit, selection: CheckedSelection, scope: Scope): Sql[] {
  const { type, related, condition, list, ofRun } = selection;
  const tests: Sql[] = [];
  if (related) tests.push(relatedTest(emit, related, scope));
  if (condition) tests.push(emit(condition, scope));
  if (list) {
    const several = list.several === 'none' ? raw(' and not m.several') : raw(' and m.taken');
    // One that was made of a file has its keys with the values that the file gives them, under the same id.
    tests.push(sql`${scope.key()} in (select ${join(keyUnpacked(type, raw('m.key')), ', ')} from (
      select m.key from tantamos.list_match m where m.list = ${value(list.id)}::uuid and m.type = ${value(type.id)}${several}
      union all
      select g.key from tantamos.given_row g where g.given = ${value(list.id)}::uuid
        and exists (select from tantamos.given s where s.id = ${value(list.id)}::uuid and s.type = ${value(type.id)})) m)`);
  }
  if (ofRun)
    tests.push(sql`${scope.key()} in (select ${join(keyUnpacked(type, raw('m.key')), ', ')}
      from tantamos.keys_in_run(${value(ofRun.id)}::uuid, ${value(type.id)}, ${value(letterOf(ofRun.outcome))}) m(key))`);
  return tests;
}

/** At random means: by a hash of key and seed, which is the same whenever it is asked. */
function taken(emit: Emit, selection: CheckedSelection, take: CheckedTake, scope: Scope): Sql {
  const inner = scope.inner(selection.type);
  const tests = beforeTaking(emit, selection, inner);
  const key = columns(inner);
  const by =
    take.seed === null
      ? take.order.map(({ path, descending }) => sql`${inner.column(path)}${raw(descending ? ' desc' : '')}`)
      : [sql`hashtextextended(${keyText(inner.keys())} || ${value(`\n${take.seed}`)}::text, 0)`];
  const order = join([...by, key], ', ');
  const where = tests.length > 0 ? join(tests, ' and ') : raw('true');
  if (!take.per)
    return sql`select ${key} from ${inner.from()} where ${where} order by ${order} limit ${value(take.count)}`;
  const per = inner.column(take.per);
  const names = inner.keys().map((_, i) => raw(`k${i + 1}`));
  const named = inner.keys().map((k, i) => sql`${k} as ${names[i]!}`);
  return sql`select ${join(names, ', ')} from (select ${join(named, ', ')}, row_number() over (partition by ${per} order by ${order}) as n
    from ${inner.from()} where ${where}) w where w.n <= ${value(take.count)}`;
}

function relatedTest(emit: Emit, related: CheckedRelated, scope: Scope): Sql {
  const { of, how, field, self } = related;
  const column = identifier(field.name);
  switch (how) {
    case 'pointing_at':
      return sql`${scope.root}.${column} in (${keysBy(emit, of, scope)})`;
    case 'pointed_at': {
      const inner = scope.inner(of.type);
      const where = conditionBy(emit, of, inner);
      return sql`${scope.key()} in (select ${inner.root}.${column} from ${inner.from()} where ${where})`;
    }
    case 'siblings': {
      const inner = scope.inner(of.type);
      const where = conditionBy(emit, of, inner);
      const others = self ? raw('') : sql` and ${scope.key()} not in (${keysBy(emit, of, scope)})`;
      return sql`${scope.root}.${column} in (select ${inner.root}.${column} from ${inner.from()} where ${where})${others}`;
    }
    case 'descendants':
    case 'ancestors':
      return sql`${scope.key()} in (${familyBy(emit, related, scope)} select key from line where ${
        self ? raw('true') : raw('step > 0')
      } and not again)`;
  }
}

/** The rows `key`, `step`, `again` of a walk along a self-reference; `again` marks where a circle closes. */
export function familyBy(emit: Emit, { of, how, field, depth }: CheckedRelated, scope: Scope): Sql {
  const table = tableOf(of.type);
  const key = identifier(of.type.key[0]!);
  const column = identifier(field.name);
  const next =
    how === 'descendants'
      ? sql`select m.${key}, line.step + 1 from line join ${table} m on m.${column} = line.key`
      : sql`select m.${column}, line.step + 1 from line join ${table} m on m.${key} = line.key where m.${column} is not null`;
  const more = how === 'descendants' ? raw(' where') : raw(' and');
  return sql`with recursive line(key, step) as (
    select k.*, 0 from (${keysBy(emit, of, scope)}) k
    union all ${next}${more} line.step < ${value(depth)}
  ) cycle key set again using path`;
}
