import {
  asText,
  conditionOf,
  emit,
  makesOf,
  proof,
  identifier,
  inTurn,
  join,
  keyText,
  keyUnpacked,
  raw,
  readsOf,
  rulesTouched,
  Scope,
  signature,
  sql,
  tableOf,
  value,
  writtenTable,
  canonicalSql,
  canonicalTerm,
  restsOnAll,
  ownRulesTouched,
  fit,
  said,
  typeOf,
  type Another,
  type Change,
  type Checked,
  type Env,
  type CheckedPart,
  type Field,
  type FieldPath,
  type Given,
  type Highest,
  type KeyRange,
  type Becoming,
  type Outcome,
  type OwnRule,
  type Place,
  type Planned,
  type RecordType,
  type Sql,
  type Verdict,
  type Worked,
  letterOf,
  walk,
  newFieldsIn,
} from '@tantamos/core';
import { keptAmong } from './pointers';
import { keptByReference } from './kept-references';
import { asked, notPutBack, rulesBroken } from './database-rules';

/** Which records of a part's selection a statement looks at. */
export type Cut =
  /** A stretch of keys, under the selection's own conditions. */
  | { readonly by: 'key'; readonly range: KeyRange }
  /**
   * Places above `low` and up to `high` of a worked-out selection (see `chosenRows`); `first` and `last`: the first field of
   * the key of those at either end, as texts, so that no more of the table is read than lies between.
   */
  | {
      readonly by: 'place';
      readonly chosen: Sql;
      readonly low: number;
      readonly high: number;
      readonly ends?: { readonly first: string; readonly last: string };
    };

export const everything: Cut = { by: 'key', range: { from: null, to: null } };

/**
 * What a part would do, one row a record in the part's order: `n`, the key's columns `k1`…, `key`, `signature`, `proof` (null
 * where its batches are not proved as a whole), `verdict`, `cause`, and for each field written `old_1`, `new_1`…
 */
export function partRows(part: CheckedPart, cut: Cut, planned: readonly Planned[]): Sql {
  const { act, selection } = part;
  const source = selection.type;
  const scope = new Scope(source, selection.env, planned);
  const keys = scope.keys();
  const makes = act === 'create';
  const made = newValues(part.changes, scope, makes);
  const fresh = new Map(part.changes.map((c, i) => [c.field.name, made[i]!.value]));
  const along = part.along.map((a) => a.changes.map((c, i) => newValue(c, i, scope, true)));
  const alongTexts = along.flatMap((of, j) =>
    of.map((m, i) => sql`${asText(m.value)} as ${raw(`a${j + 1}_${i + 1}`)}`),
  );
  const unfit = [...made, ...along.flat()].flatMap((m) => (m.unfit ? [m.unfit] : []));
  const columns =
    act === 'delete'
      ? source.fields.filter((f) => !f.generated).map((f) => ({ old: scope.own(f.name), fresh: null }))
      : part.changes.map((c) => ({
          old: makes ? null : scope.asPlanned(() => scope.own(c.field.name)),
          fresh: fresh.get(c.field.name)!,
        }));
  const texts = columns.flatMap((c, i) => [
    sql`${c.old ? asText(c.old) : raw('null::text')} as ${raw(`old_${i + 1}`)}`,
    sql`${c.fresh ? asText(c.fresh) : raw('null::text')} as ${raw(`new_${i + 1}`)}`,
  ]);
  const spot = act === 'update' && part.type.hasPlaces ? [sql`${scope.root}.ctid as spot`] : [];
  const hash = scope.asPlanned(() => signature(readsOf(part), scope));
  const isProved = planned.length === 0 && isFoundBySpot(part.type) && makesOf(part) !== null;
  const proved = isProved
    ? proof(
        readsOf(part),
        made.map((m) => m.value),
        scope,
      )
    : raw('null::bigint');
  const freshAlong = part.along.map(
    (a, j) => new Map(a.changes.map((c, i): [string, Sql] => [c.field.name, along[j]![i]!.value])),
  );
  const kept = act === 'delete' ? keptAmong(source, scope, part.falls ?? [], keysWithin(part, cut)) : raw('null::text');
  const cause = causeOf(part, scope, fresh, freshAlong, unfit, kept);
  // What could not be worked out is not what is there already, though both be blank.
  const isFit = unfit.length > 0 ? [raw('m.is_fit')] : [];
  const fits = unfit.length > 0 ? [sql`num_nonnulls(${join(unfit, ', ')}) = 0 as is_fit`] : [];
  const isMeant = made.some((m) => !m.meant)
    ? raw('true')
    : sql`(${join(
        made.map((m) => sql`(${m.meant!}) is true`),
        ' or ',
      )})`;
  const meant = part.again ? [sql`${isMeant} as is_meant`] : [];
  const where = cut.by === 'key' ? conditionOf(selection, scope, cut.range) : placesWithin(cut, source, keys);
  // Each place has its record: it is found by its key, under the snapshot that the place was found under.
  const number =
    cut.by === 'key'
      ? sql`row_number() over (order by ${join(
          keys.map((_, i) => raw(`m.k${i + 1}`)),
          ', ',
        )}) as n, `
      : raw('');
  const at = cut.by === 'key' ? raw('') : sql`chosen.n - ${value(cut.low)} as n, `;
  const same = columns.map((_, i) => raw(`m.old_${i + 1} is not distinct from m.new_${i + 1}`));
  // Nobody means to write again what no edit is about.
  const untouched = part.again ? [raw('not m.is_meant')] : [];
  const right =
    act === 'update'
      ? sql`when ${join([...untouched, ...isFit, ...same], ' and ')} then ${letter('already_right')} `
      : raw('');
  return sql`
    select ${number}m.*,
      case ${right}when m.cause is not null then ${letter('not_allowed')} else ${letter('will_change')} end as verdict
    from (select ${at}${join([...keyNames(keys), sql`${keyText(keys)} as key`, sql`${hash} as signature`, sql`${proved} as proof`, sql`${cause} as cause`, ...fits, ...meant, ...spot, ...texts, ...alongTexts], ', ')}
      from ${cut.by === 'key' ? scope.from() : chosenFrom(cut, scope)} where ${where}) m`;
}

/** The first field of the key of the records that a statement looks at. */
function keysWithin({ selection }: CheckedPart, cut: Cut): Sql {
  if (cut.by === 'place')
    return sql`select w.k1 from ${cut.chosen} w where w.n > ${value(cut.low)} and w.n <= ${value(cut.high)}`;
  const scope = new Scope(selection.type, selection.env, [], undefined, false);
  const where = conditionOf(selection, scope, cut.range);
  return sql`select ${scope.keys()[0]!} from ${scope.from()} where ${where}`;
}

/**
 * A selection worked out as a whole: the key's columns `k1`…, `n` in the order of the part and, for each change whose value
 * comes from a place, the place `p1`… and the size of its group `s1`… `planned`: what earlier parts will leave; `dealt`: of these
 * only those with such a key.
 */
export function chosenRows(part: CheckedPart, planned: readonly Planned[] = [], dealt: Sql | null = null): Sql {
  const { selection, changes, order = [] } = part;
  const scope = new Scope(selection.type, selection.env, planned);
  const keys = scope.keys();
  const places = changes.flatMap((c, i) => {
    if (c.value.from === 'place') return [placeColumns(c.value.place, i + 1, scope)];
    return c.value.from === 'another' ? [anotherColumns(c.value.another, c.field, i + 1, scope)] : [];
  });
  const asked = conditionOf(selection, scope);
  const where = dealt ? sql`(${asked}) and ${keys[0]!} in (${dealt})` : asked;
  const by = order.map(
    ({ path, descending }) => sql`${scope.column(path)}${raw(descending ? ' desc nulls last' : '')}`,
  );
  const n = sql`row_number() over (order by ${join([...by, ...keys], ', ')}) as n`;
  const spot = isFoundBySpot(selection.type) ? [sql`${scope.root}.ctid as spot`] : [];
  const found = sql`select ${join([...keyNames(keys), n, ...spot, ...places.flatMap((p) => p.columns)], ', ')}
    from ${scope.from()} where ${where}`;
  if (!places.some((p) => p.seenAgain)) return found;
  const names = [
    ...keys.map((_, i) => raw(`f.k${i + 1}`)),
    raw('f.n'),
    ...spot.map(() => raw('f.spot')),
    ...places.flatMap((p) => p.names),
  ];
  return sql`with found as materialized (${found})
    select ${join(names, ', ')} from found f${join(
      places.flatMap((p) => p.joins),
      '',
    )}`;
}

interface PlaceColumns {
  readonly columns: readonly Sql[];
  /** What is taken of them, of the rows `found f` and what they are joined with. */
  readonly names: readonly Sql[];
  readonly joins: readonly Sql[];
  /** Is what is taken known only once all are found? */
  readonly seenAgain: boolean;
}

function placeColumns(
  { per, order, together, highest, value: made, worked }: Place,
  at: number,
  scope: Scope,
): PlaceColumns {
  const [p, s, h] = [raw(`p${at}`), raw(`s${at}`), raw(`h${at}`)];
  const groups = per.map((tree) => emit(tree, scope));
  const kept = together.map((tree) => emit(tree, scope));
  const by = order.map((o) => sql`${emit(o.tree, scope)}${raw(o.descending ? ' desc' : '')}`);
  const group = groups.length > 0 ? sql`partition by ${join(groups, ', ')}` : raw('');
  const number = sql`row_number() over (${group} order by ${join([...kept, ...by, ...scope.keys()], ', ')}) as ${p}`;
  // Counting the group is asked for only where the value needs it.
  let isSized = false;
  for (const tree of [made, ...worked.refusals.map((r) => r.when)])
    walk(tree, (node) => (isSized ||= node.kind === 'place' && node.what === 'size'));
  const size = isSized ? [sql`count(*) over (${group}) as ${s}`] : [];
  const used = highest ? [sql`${highestInUse(highest, per, groups, scope)} as ${h}`] : [];
  const held = kept.map((_, i) => raw(`t${at}_${i + 1}`));
  return {
    columns: [number, ...size, ...used, ...kept.map((piece, i) => sql`${piece} as ${held[i]!}`)],
    // Those that stay together have the place of the first of them.
    names: [
      held.length > 0
        ? sql`min(f.${p}) over (partition by ${join(
            held.map((t) => sql`f.${t}`),
            ', ',
          )}) as ${p}`
        : sql`f.${p}`,
      ...size.map(() => sql`f.${s}`),
      ...used.map(() => sql`f.${h}`),
    ],
    joins: [],
    seenAgain: held.length > 0,
  };
}

/** The value `v1`… that another has: of the one whose place by key is this record's in the order, in the same group. */
function anotherColumns({ per, order }: Another, field: Field, at: number, scope: Scope): PlaceColumns {
  const [p, q, g, v, x] = ['p', 'q', 'g', 'v', 'x'].map((of) => raw(`${of}${at}`)) as [Sql, Sql, Sql, Sql, Sql];
  const groups = join(
    per.map((tree) => emit(tree, scope)),
    ', ',
  );
  const by = order.map((o) => sql`${emit(o.tree, scope)}${raw(o.descending ? ' desc' : '')}`);
  const place = (order: readonly Sql[]): Sql =>
    sql`row_number() over (partition by ${groups} order by ${join([...order, ...scope.keys()], ', ')})`;
  return {
    columns: [
      sql`${place(by)} as ${p}`,
      sql`${place([])} as ${q}`,
      // A number for each group, by which records can be joined though what they are grouped by be blank.
      sql`dense_rank() over (order by ${groups}) as ${g}`,
      sql`${scope.own(field.name)} as ${v}`,
    ],
    names: [sql`${x}.${v}`],
    joins: [sql` join found ${x} on ${x}.${q} = f.${p} and ${x}.${g} = f.${g}`],
    seenAgain: true,
  };
}

/** The highest number that records of the type have, of those in the record's group; null where there is none. */
function highestInUse({ of, prefix }: Highest, per: readonly Checked[], groups: readonly Sql[], scope: Scope): Sql {
  const inner = scope.inner(scope.type);
  const text = canonicalSql(of, inner);
  const before = prefix && canonicalSql(prefix, inner);
  const rest = before ? sql`substr(${text}, length(${before}) + 1)` : text;
  const starts = before ? sql`starts_with(${text}, ${before}) and ` : raw('');
  const number =
    typeOf(of) === 'number' ? text : sql`case when ${starts}${rest} ~ '^[0-9]{1,30}$' then (${rest})::numeric end`;
  const keys = per.map((tree, i) => sql`${emit(tree, inner)} as ${raw(`g${i + 1}`)}`);
  const grouped = per.length > 0 ? sql` group by ${raw(per.map((_, i) => String(i + 1)).join(', '))}` : raw('');
  const used = sql`(select ${join([...keys, sql`max(${number}) as n`], ', ')} from ${inner.from()}${grouped})`;
  const same = groups.map((g, i) => (alias: Sql) => sql`${alias}.${raw(`g${i + 1}`)} is not distinct from ${g}`);
  const alias = scope.joined(used, (a) =>
    same.length > 0
      ? join(
          same.map((is) => is(a)),
          ' and ',
        )
      : raw('true'),
  );
  return sql`${alias}.n`;
}

/** Must the selection be worked out as a whole before it can be cut? */
export function needsChoosing({ selection, changes, order }: CheckedPart): boolean {
  const { take, related, list } = selection;
  return order !== undefined || take !== null || related !== null || list !== null || changes.some(restsOnAll);
}

export function keyNames(keys: readonly Sql[]): readonly Sql[] {
  return keys.map((k, i) => sql`${k} as ${raw(`k${i + 1}`)}`);
}

/** `x.k1 = y.id and …`, where `x` has a key's columns by their places. */
export function sameAs(alias: string, keys: readonly Sql[]): Sql {
  return join(
    keys.map((k, i) => sql`${raw(`${alias}.k${i + 1}`)} = ${k}`),
    ' and ',
  );
}

export function letter(of: Outcome | Verdict): Sql {
  return raw(`'${letterOf(of)}'`);
}

function placesWithin({ low, high, ends }: Extract<Cut, { by: 'place' }>, type: RecordType, keys: readonly Sql[]): Sql {
  const places = sql`chosen.n > ${value(low)} and chosen.n <= ${value(high)}`;
  if (!ends) return places;
  const dbType = raw(type.fields.find((f) => f.name === type.key[0])!.dbType);
  const end = (said: string): Sql => sql`${value(said)}::text::${dbType}`;
  return sql`${places} and ${keys[0]!} between ${end(ends.first)} and ${end(ends.last)}`;
}

/**
 * Is a record that was found found again by where it is in its table, under the same snapshot? Measured, 100,000 of 1,000,000
 * with four edits: 0.41 s, by the key 0.53 s. A place in a partition is not enough, nor one in what a person may see.
 */
export function isFoundBySpot(type: RecordType): boolean {
  return type.hasPlaces && !type.isPartitioned && type.limits === null;
}

function chosenFrom({ chosen }: Extract<Cut, { by: 'place' }>, scope: Scope): Sql {
  if (isFoundBySpot(scope.type))
    return sql`${chosen} chosen cross join lateral (
      select s.ctid, s.* from ${tableOf(scope.type)} s where s.ctid = chosen.spot offset 0) ${scope.root}${scope.joins()}`;
  return sql`${chosen} chosen join ${tableOf(scope.type)} ${scope.root} on ${sameAs('chosen', scope.keys())}${scope.joins()}`;
}

/**
 * What changes make of each record of a type, of which there need be none yet: rows of `n`, `v1`… as texts, and why not: the
 * first `cause` of all, or those of each value apart, `u1`…; and what `more` takes of the record itself.
 */
export function workedRows(
  source: RecordType,
  changes: readonly Change[],
  env: Env,
  causes: 'first' | 'apart',
  more: (record: Sql) => readonly Sql[],
): Sql {
  const scope = new Scope(source, env);
  const made = newValues(changes, scope, true);
  const unfit = changes.map(({ field, active }, i) => [
    ...(made[i]!.unfit ? [made[i]!.unfit] : []),
    ...(active ? [isActive(field, active, made[i]!.value, null, scope)] : []),
  ]);
  const firstOf = (some: readonly Sql[]): Sql =>
    some.length > 0 ? sql`coalesce(${join(some, ', ')})` : raw('null::text');
  const why =
    causes === 'first'
      ? [sql`${firstOf(unfit.flat())} as cause`]
      : [raw('null::text as cause'), ...unfit.map((some, i) => sql`${firstOf(some)} as ${raw(`u${i + 1}`)}`)];
  const texts = made.map((m, i) => sql`${asText(m.value)} as ${raw(`v${i + 1}`)}`);
  return sql`select ${join([sql`${scope.own('n')} as n`, ...more(scope.root), ...why, ...texts], ', ')} from ${scope.from()}`;
}

/** What a part makes of the fields that it writes, of the record in a scope, where that is worked out again. */
export function madeAgain(makes: readonly Becoming<Checked>[], fields: readonly Field[], scope: Scope): readonly Sql[] {
  return makes.map(
    ({ tree, when }, i) =>
      newValue({ field: fields[i]!, value: { from: 'expression', tree }, when }, i, scope, false).value,
  );
}

interface NewValue {
  readonly value: Sql;
  /** Why there is none that the field could take: a text, null where there is one; absent where that is known before. */
  readonly unfit?: Sql;
  /** Is the change about this record? Absent: it is about every one. */
  readonly meant?: Sql;
}

/** Each after those it reads from, which are worked out once. */
function newValues(changes: readonly Change[], scope: Scope, makes: boolean): readonly NewValue[] {
  const read = new Set(changes.flatMap((c) => [...newFieldsIn(c)]));
  const made: NewValue[] = [];
  for (const i of inTurn(changes)) {
    const { field } = changes[i]!;
    const fresh = newValue(changes[i]!, i, scope, makes);
    made[i] = fresh;
    if (!read.has(field.name)) continue;
    const it = scope.workedOut(fresh.value);
    scope.written(field.name, it);
    made[i] = { ...fresh, value: it };
  }
  return made;
}

function newValue(change: Change, index: number, scope: Scope, makes: boolean): NewValue {
  const type = raw(change.field.dbType);
  // A record that is made has no value of its own to keep.
  const own = makes ? sql`null::${type}` : scope.own(change.field.name);
  switch (change.value.from) {
    case 'expression': {
      const { tree, worked } = change.value;
      if (worked) return workedValue(change, tree, worked, own, scope);
      const made = sql`(${emit(tree, scope)})::${type}`;
      if (!change.when) return { value: made };
      const meant = emit(change.when, scope);
      return { value: sql`case when ${meant} then ${made} else ${own} end`, meant };
    }
    case 'given':
      return givenValue(change, change.value.given, own, scope);
    case 'place': {
      const { value: tree, worked } = change.value.place;
      const column = (of: string): Sql => raw(`chosen.${of}${index + 1}`);
      scope.placed({ number: column('p'), size: column('s'), highest: sql`${column('h')}::numeric` });
      return workedValue(change, tree, worked, own, scope);
    }
    case 'another': {
      const theirs = raw(`chosen.v${index + 1}`);
      if (!change.when) return { value: theirs };
      const meant = emit(change.when, scope);
      return { value: sql`case when ${meant} then ${theirs} else ${own} end`, meant };
    }
  }
}

/** A value that is worked out once for each record, and then looked at: is there one, does the field take it? */
function workedValue(change: Change, tree: Checked, worked: Worked, own: Sql, scope: Scope): NewValue {
  const { field, when } = change;
  const type = raw(field.dbType);
  const isMeant = when ? scope.workedOut(sql`(${emit(when, scope)}) is true`) : null;
  const term = canonicalTerm(tree, scope);
  const made = term.canonical;
  const it = scope.workedOut(isMeant ? sql`case when ${isMeant} then ${made} end` : made);
  const { value: fitted, causes } = fit(it, term, field, worked.target, scope);
  const reasons = worked.refusals.map(
    (r) => sql`when ${emit(r.when, scope)} then ${value(reasonWords(field, r.words))}::text`,
  );
  const none = value(`${field.label}: nothing comes out.`);
  const blank =
    worked.blank === 'cleared'
      ? sql`when ${it} is null then null`
      : sql`when ${it} is null then case ${join([...reasons, sql`when true then ${none}::text`], ' ')} end`;
  const outright = worked.refusals
    .filter((r) => r.always)
    .map((r) => sql`when ${emit(r.when, scope)} then ${value(reasonWords(field, r.words))}::text`);
  const cases = join([...(isMeant ? [sql`when not ${isMeant} then null`] : []), ...outright, blank, ...causes], ' ');
  // What is asked three times of every record is worked out once, unless it is only whether there is a value.
  const isPlain = !isMeant && outright.length + causes.length === 0;
  const unfit = isPlain ? sql`case ${cases} end` : scope.workedOut(sql`case ${cases} end`);
  const is = sql`case when ${unfit} is null then (${fitted})::${type} end`;
  if (!isMeant) return { value: is, unfit };
  return { value: sql`case when ${isMeant} then ${is} else ${own} end`, unfit, meant: isMeant };
}

function reasonWords(field: Field, words: string): string {
  return `${field.label}: ${words}.`;
}

/** By the record's key, or by a value of it; a record without one is left as it is, refused, or given what the rest gets. */
function givenValue(change: Change, given: Given, own: Sql, scope: Scope): NewValue {
  const { field, when } = change;
  const type = raw(field.dbType);
  const { by, rest } = given;
  const key = by ? sql`coalesce(${lookedUp(pathOf(by), scope)}, '')` : keyText(scope.keys());
  const { isThere, found } = givenRow(given, key, scope);
  const others = rest.act === 'give' ? sql`(${emit(rest.value, scope)})::${type}` : own;
  const made = sql`case when ${isThere} then ${found}::${type} else ${others} end`;
  const meant = when ? emit(when, scope) : null;
  const fresh = meant ? sql`case when ${meant} then ${made} else ${own} end` : made;
  const about = [...(meant ? [sql`(${meant}) is true`] : []), ...(rest.act === 'leave' ? [isThere] : [])];
  const reach = about.length > 0 ? { meant: join(about, ' and ') } : {};
  if (rest.act !== 'refuse') return { value: fresh, ...reach };
  const words = said([`${field.label}: “`, sql`left(${key}, 60)`, '” is not in the map.']);
  const blank = value(`${field.label}: there is no value to look up in the map.`);
  const unfit = sql`case when ${meant ? sql`(${meant}) is true and ` : raw('')}not (${isThere}) then case when ${key} = '' then ${blank}::text else ${words} end end`;
  return { value: fresh, unfit, ...reach };
}

/** A field's value as maps know it: numbers without idle zeros. */
function lookedUp(at: FieldPath, scope: Scope): Sql {
  const column = scope.column(at);
  const { base, refersTo, choices } = at.field;
  const isNumber = base === 'number' && refersTo === null && choices === null;
  return asText(isNumber ? sql`trim_scale(${column}::text::numeric)` : column);
}

function pathOf(tree: Checked): FieldPath {
  if (tree.kind !== 'field') throw new Error('Values are looked up by a field.');
  return tree.at;
}

/** What is given for a key: is there anything, and which value is `found`? */
function givenRow(given: Given, key: Sql, scope: Scope): { readonly isThere: Sql; readonly found: Sql } {
  const plain = (row: Sql) => ({ isThere: sql`${row}.key is not null`, found: sql`${row}.value` });
  // By the index, record by record: the database knows too little of a set that has just been kept to choose by itself.
  if ('kept' in given) {
    if (given.at === undefined)
      return plain(
        scope.lookedUp(
          sql`select g.key, g.value from tantamos.given_value g where g.given = ${value(given.kept)}::uuid and g.key = ${key}`,
        ),
      );
    const row = scope.given(given.kept, key);
    const at = raw(`[${given.at}]`);
    return {
      isThere: sql`(${row}.key is not null and coalesce(${row}.said${at}, true))`,
      found: sql`${row}.texts${at}`,
    };
  }
  const texts = (of: 'key' | 'value'): (string | null)[] => given.entries.map((e) => valueText(e[of]));
  const rows = sql`(select * from unnest(${value(texts('key'))}::text[], ${value(texts('value'))}::text[]) as t(key, value))`;
  return plain(scope.joined(rows, (alias) => sql`${alias}.key = ${key}`));
}

function valueText(tree: Checked): string | null {
  return tree.kind === 'value' ? tree.text : null;
}

/** Why the record may not become what it would: the first rule of the database it would break; null when none. */
function causeOf(
  part: CheckedPart,
  scope: Scope,
  fresh: ReadonlyMap<string, Sql>,
  along: readonly ReadonlyMap<string, Sql>[],
  unfit: readonly Sql[],
  /** Of a delete: why each may not go. */
  kept: Sql,
): Sql {
  const { act, type } = part;
  const writes = [...fresh.keys()];
  const old = (f: Field): Sql => scope.own(f.name);
  const now = (f: Field): Sql => fresh.get(f.name) ?? old(f);
  const tests: Sql[] = [...unfit, ...(act === 'delete' ? [...notPutBack(type, old), kept] : [])];
  for (const { field, active } of part.changes)
    if (active)
      tests.push(isActive(field, active, fresh.get(field.name)!, act === 'create' ? null : old(field), scope));
  const limit = act === 'update' ? type.limits?.changed(writes, scope.root) : null;
  if (limit) tests.push(sql`case when not (${limit.allowed}) then ${value(limit.words)}::text end`);
  if (act === 'update') tests.push(...rulesBroken(type, rulesTouched(type, writes), now));
  const { kept: referenced = [], changes: referring = [] } = part.references ?? {};
  if (act === 'update') tests.push(...keptByReference(type, referenced, referring, scope, old, now));
  if (act === 'create') tests.push(...rulesOfNew(type, fresh));
  part.along.forEach((a, i) => {
    tests.push(...rulesOfNew(a.type, new Map([...along[i]!, [a.by.name, scope.keys()[0]!]])));
    for (const { field, active } of a.changes)
      if (active) tests.push(isActive(field, active, along[i]!.get(field.name)!, null, scope));
  });
  for (const rule of act === 'update' ? ownRulesTouched(part) : [])
    tests.push(ownRuleBroken(rule, type, writes, scope, old, now));
  if (act !== 'create' && type.rowRules) {
    const { using, check, deleting } = type.rowRules;
    const rule = (condition: string | null, values: (f: Field) => Sql, words: string): void => {
      if (condition !== null)
        tests.push(
          asked(
            type,
            type.fields,
            values,
            sql`case when (${raw(condition)}) is not true then ${value(words)}::text end`,
          ),
        );
    };
    if (act === 'delete') rule(deleting, old, 'A row rule of the database does not let this record be deleted.');
    else {
      rule(using, old, 'A row rule of the database does not let this record be changed.');
      rule(check, now, 'A row rule of the database does not let the record become this.');
    }
  }
  return tests.length > 0 ? sql`coalesce(${join(tests, ', ')})` : raw('null::text');
}

/** The same of a new record; rules on what the database itself fills in are its own to keep. */
function rulesOfNew(type: RecordType, fresh: ReadonlyMap<string, Sql>): Sql[] {
  const isKnown = (name: string): boolean => {
    const field = type.fields.find((f) => f.name === name);
    return fresh.has(name) || (field !== undefined && field.default === null && !field.generated);
  };
  const known = type.rules.filter((r) => r.fields.every(isKnown));
  return rulesBroken(type, known, (f) => fresh.get(f.name) ?? sql`null::${raw(f.dbType)}`);
}

/** Null unless a reference would come to point at a record that is not active. */
function isActive(field: Field, target: RecordType, now: Sql, old: Sql | null, scope: Scope): Sql {
  const t = raw('t');
  const key = identifier(target.key[0]!);
  const isNamed = target.nameField !== null && target.limits === null;
  const name = isNamed ? sql`t.${identifier(target.nameField)}` : sql`t.${key}`;
  const left = scope.joined(
    sql`(select ${t}.${key} as key, ${name}::text as name from ${writtenTable(target)} t where t.${identifier(target.onlyActive!)} is false)`,
    (alias) => sql`${alias}.key = ${now}`,
  );
  const words = said([`${field.label}: `, sql`${left}.name`, ' is not active any more.']);
  const isNew = old ? sql` and ${now} is distinct from ${old}` : raw('');
  return sql`case when ${left}.key is not null${isNew} then ${words} end`;
}

/** What is said where a change that a rule of the workspace's own is about would break it; else null. */
export function ownRuleBroken(
  rule: OwnRule,
  type: RecordType,
  writes: readonly string[],
  scope: Scope,
  old: (f: Field) => Sql,
  now: (f: Field) => Sql,
): Sql {
  const field = (name: string): Field => type.fields.find((f) => f.name === name)!;
  const written = rule.fields.filter((f) => writes.includes(f)).map(field);
  const changes = written.map((f) => sql`${now(f)} is distinct from ${old(f)}`);
  const said = (test: Sql): Sql =>
    sql`case when (${join(changes, ' or ')}) and ${test} then ${value(rule.message)}::text end`;
  // It is asked of the record as it becomes: what the rule reads stands there as a row of its own.
  const reads = new Set(rule.fields);
  walk(rule.broken, (node) => {
    if (node.kind === 'children') type.key.forEach((k) => reads.add(k));
  });
  const columns = [...reads].map(field).map((f) => sql`${now(f)} as ${identifier(f.name)}`);
  const source = sql`(select ${join(columns, ', ')})`;
  const inner = scope.inner({ ...type, limits: { source, changed: () => null } });
  for (const name of reads) inner.was(name, old(field(name)));
  const test = emit(rule.broken, inner);
  return said(sql`(select ${test} from ${inner.from()})`);
}

/** A frozen part's records that will change, as a table of keys and new values: what later parts must reckon with. */
export function plannedRows(previewId: string, index: number, type: RecordType, writes: readonly string[]): Sql {
  const values = writes.map((f, i) => {
    const dbType = type.fields.find((field) => field.name === f)!.dbType;
    return sql`${raw(`i.new_${i + 1}`)}::${raw(dbType)} as ${raw(`w${i + 1}`)}`;
  });
  const arrays = writes.map((_, i) => raw(`, unnest(v${i + 1}.new)`));
  const names = writes.map((_, i) => raw(`, new_${i + 1}`));
  return sql`select ${join([...keyNames(keyUnpacked(type, raw('i.key'))), ...values], ', ')}
    from tantamos.batch b ${valueJoins(writes, 'b.preview', 'b.position')}
    cross join lateral rows from (unnest(b.keys), string_to_table(b.verdicts, null)${join(arrays, '')})
      i(key, verdict${join(names, '')})
    where b.preview = ${value(previewId)}::uuid and b.part = ${value(index)} and i.verdict = ${letter('will_change')}`;
}

/** Joins the frozen values of each field of a batch as `v1`, `v2`… */
export function valueJoins(fields: readonly string[], preview: string, position: string): Sql {
  return join(
    fields.map((field, i) => {
      const v = raw(`v${i + 1}`);
      return sql`join tantamos.batch_value ${v} on ${v}.preview = ${raw(preview)} and ${v}.position = ${raw(position)}
        and ${v}.field = ${value(field)}`;
    }),
    ' ',
  );
}
