import {
  asText,
  conditionOf,
  join,
  keyIs,
  keyText,
  keyUnpacked,
  raw,
  Scope,
  signature,
  sql,
  value,
  wholeSignature,
  type Checked,
  type CheckedSelection,
  type Env,
  type OrderPart,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { keyNames, letter, valueJoins } from './rows';

/** Which part of a run is taken back: all of it, or some records of one type; overwrite: what others changed since, too. */
export interface Taken {
  readonly of: {
    readonly type: string;
    readonly keys: readonly string[] | null;
    readonly found: CheckedSelection | null;
  } | null;
  readonly overwrite: boolean;
  /** Related records that were edited since stay as they are, and those they belong to are undone all the same. */
  readonly leaveEdited: boolean;
}

/** The part of a run that is taken back, and what does so. */
export interface Undoing {
  readonly run: string;
  readonly part: number;
  readonly type: RecordType;
  /** The part that takes it back. */
  readonly back: OrderPart;
  readonly reads: readonly Checked[];
  readonly env: Env;
  readonly taken: Taken;
  /** Related records that hold back those they belong to: `part`, `owner`, `verdict`, `cause`; null: none. */
  readonly hindered: Sql | null;
  /** Place of `back` among the parts of the undo. */
  readonly at: number;
}

/** Stretches of a run's positions, lower end in, upper end out. */
export interface Stretch {
  readonly from: number;
  readonly to: number;
}

/**
 * What taking back would do, as rows like those of `partRows`: what was done last comes first, and a record is dealt with
 * only where it still is what the run made of it.
 */
export function undoRows(undoing: Undoing, stretch: Stretch, batchSize: number): Sql {
  switch (undoing.back.act) {
    case 'update':
      return valuesBack(undoing, stretch, batchSize);
    case 'delete':
      return madeRemoved(undoing, stretch);
    case 'create':
      return removedMadeAgain(undoing, stretch);
  }
}

function valuesBack(undoing: Undoing, stretch: Stretch, batchSize: number): Sql {
  const { run, part, type, back, reads, env, taken } = undoing;
  const { writes } = back;
  const scope = new Scope(type, env);
  const held = heldBack(undoing, raw('c.key'));
  const now = writes.map((f) => asText(scope.own(f)));
  const written = writes.map(writtenOf);
  // A field that is back already, alone or by an undo in part, is nobody's edit.
  const asWritten = now.map(
    (n, i) => sql`(${n} is not distinct from ${written[i]!} or ${n} is not distinct from ${raw(`c.old_${i + 1}`)})`,
  );
  const same = writes.map((_, i) => raw(`m.old_${i + 1} is not distinct from m.new_${i + 1}`));
  // What was made along with a record whose values were right already is taken back all the same.
  const right = back.along.some((a) => a.was !== undefined)
    ? raw('')
    : sql`when ${join(same, ' and ')} then ${letter('already_right')} `;
  const edited = taken.overwrite ? raw('') : sql`when not m.as_written then ${letter('edited_since')} `;
  const columns = now.map((n, i) => sql`${n} as ${raw(`old_${i + 1}`)}, ${raw(`c.old_${i + 1} as new_${i + 1}`)}`);
  const hash = signature(reads, scope);
  // What comes back stands in what was kept, and is not worked out again.
  const spot = type.hasPlaces ? sql`, ${scope.root}.ctid as spot, null::bigint as proof` : raw('');
  // What went round in a circle was written in one batch, and is in one again. Where nothing is passed on, the records of a
  // stretch stay as they came, which is sorted already.
  const n =
    back.passing?.how === 'around'
      ? sql`(dense_rank() over (order by m.position desc) - 1) * ${raw(String(batchSize))} + row_number() over (partition by m.position order by m.c_n desc)`
      : raw(`row_number() over (order by m.position desc, m.c_n${back.passing ? ' desc' : ''})`);
  return sql`
    select ${n} as n, m.*,
      case when not m.present then ${letter('gone')} ${right}${edited}${held.when}else ${letter('will_change')} end as verdict
    from (
      select c.position, c.n as c_n, c.key, ${held.columns}${scope.keys()[0]!} is not null as present, ${join(asWritten, ' and ')} as as_written,
        coalesce(${hash}, 0) as signature${spot}, ${join(columns, ', ')}
      from (${doneRows(run, part, writes, stretch, among(taken, env, raw('i.key')))}) c
      left join ${scope.from()} on ${keyIs(type, scope.root, raw('c.key'))}
    ) m`;
}

/** What a run wrote into a field of a row of `doneRows`: what the database itself made of it, where that was another. */
export function writtenOf(field: string, i: number): Sql {
  const altered = sql`c.altered -> ${value(field)}::text`;
  const at = raw('c.n::text');
  const written = raw(`c.new_${i + 1}`);
  // Mostly there is nothing to look at, and then nothing of it is.
  return sql`case when c.altered is null then ${written} when (${altered}) ? ${at} then (${altered}) ->> ${at} else ${written} end`;
}

/** What was made is removed, if it is just as it was made. */
function madeRemoved(undoing: Undoing, stretch: Stretch): Sql {
  const { run, part, type, back, reads, env, taken } = undoing;
  const held = heldBack(undoing, raw('c.made'));
  const scope = new Scope(type, env);
  const columns = back.writes.map(
    (f, i) => sql`${asText(scope.own(f))} as ${raw(`old_${i + 1}`)}, null::text as ${raw(`new_${i + 1}`)}`,
  );
  const hash = signature(reads, scope);
  const edited = taken.overwrite ? raw('') : sql`when not m.as_made then ${letter('edited_since')} `;
  return sql`
    select row_number() over (order by m.position desc, m.c_n desc) as n, m.*,
      case when not m.present then ${letter('gone')} ${edited}${held.when}else ${letter('will_change')} end as verdict
    from (
      select c.position, c.n as c_n, c.made as key, ${held.columns}${join(keyNames(keyUnpacked(type, raw('c.made'))), ', ')},
        ${scope.keys()[0]!} is not null as present, ${wholeSignature(scope)} is not distinct from c.made_as as as_made,
        coalesce(${hash}, 0) as signature, ${join(columns, ', ')}
      from (${doneRows(run, part, [], stretch, among(taken, env, raw('i.made')))}) c
      left join ${scope.from()} on ${keyIs(type, scope.root, raw('c.made'))}
    ) m`;
}

/** What was removed is made again under the same key, if no other has taken it. */
function removedMadeAgain(undoing: Undoing, stretch: Stretch): Sql {
  const { run, part, type, back, env, taken } = undoing;
  const { writes } = back;
  const scope = new Scope(type, env);
  const isTaken = sql`${scope.keys()[0]!} is not null`;
  const again = sql`case when ${isTaken} then 'There is a record with this key again.' end`;
  const held = heldBack(undoing, raw('c.key'), again);
  const columns = writes.map(
    (_, i) => sql`null::text as ${raw(`old_${i + 1}`)}, ${raw(`c.old_${i + 1} as new_${i + 1}`)}`,
  );
  return sql`
    select row_number() over (order by m.position desc, m.c_n desc) as n, m.*,
      case when m.is_taken then ${letter('not_allowed')} ${held.when}else ${letter('will_change')} end as verdict
    from (
      select c.position, c.n as c_n, c.key, ${held.columns}0::bigint as signature, ${isTaken} as is_taken, ${join(columns, ', ')}
      from (${doneRows(run, part, writes, stretch, among(taken, env, raw('i.key')))}) c
      left join ${scope.from()} on ${keyIs(type, scope.root, raw('c.key'))}
    ) m`;
}

/**
 * What a related record that holds back its own says of that: columns `cause` and `held`, and how the verdict comes of it.
 * `before`: another cause, that comes before it.
 */
function heldBack(
  { hindered, at }: Undoing,
  owner: Sql,
  before: Sql = raw('null::text'),
): { readonly columns: Sql; readonly when: Sql } {
  if (!hindered) return { columns: sql`${before} as cause, `, when: raw('') };
  const first = (what: string): Sql =>
    sql`(select h.${raw(what)} from ${hindered} h where h.part = ${value(at)}::int and h.owner = ${owner} order by h.cause limit 1)`;
  return {
    columns: sql`coalesce(${before}, ${first('cause')}) as cause, ${first('verdict')} as held, `,
    when: raw('when m.held is not null then m.held '),
  };
}

/** The records that a run changed, made or removed: `position`, `altered`, `key`, `made`, `made_as`, `old_1`, `new_1`… */
export function doneRows(run: string, part: number, fields: readonly string[], stretch: Stretch, only: Sql): Sql {
  const values = fields.map((_, i) => raw(`, v${i + 1}.new as new_${i + 1}, v${i + 1}.old as old_${i + 1}`));
  const arrays = fields.map((_, i) =>
    raw(
      `, unnest(b.new_${i + 1}[s.low + 1:s.high]) as new_${i + 1}, unnest(b.old_${i + 1}[s.low + 1:s.high]) as old_${i + 1}`,
    ),
  );
  // Each stretch finds its batch first (`offset 0`): taken apart before, all batches were for each stretch, which took five
  // times as long with 50 of them.
  return sql`
    select s.position, s.altered, i.* from (
      select w.*, run.preview from tantamos.run_batch w join tantamos.run on run.id = w.run
      where w.run = ${value(run)}::uuid and w.part = ${value(part)}::int and w.position >= ${value(stretch.from)}
        and w.position < ${value(stretch.to)} and w.changed > 0 order by w.position desc offset 0) s
    cross join lateral (
      select b.keys${join(values, '')} from tantamos.batch b ${valueJoins(fields, 'b.preview', 'b.position')}
      where b.preview = s.preview and b.position = s.batch offset 0) b
    cross join lateral (
      select unnest(b.keys[s.low + 1:s.high]) as key, unnest(string_to_array(s.outcomes, null)) as outcome, unnest(s.made) as made,
        unnest(s.made_as) as made_as${join(arrays, '')}, generate_series(1, s.high - s.low) as n) i
    where i.outcome = ${letter('changed')}${only}`;
}

/** What is asked of the key of a record so that it is among those that are taken back: ` and …`, or nothing. */
function among({ of }: Taken, env: Env, key: Sql): Sql {
  if (!of) return raw('');
  const keys = of.keys ? sql` and ${key} = any(${value(of.keys)}::text[])` : raw('');
  if (!of.found) return keys;
  // Only what the person may see is found.
  const scope = new Scope(of.found.type, env);
  const condition = conditionOf(of.found, scope);
  const found = sql`select ${keyText(scope.keys())} from ${scope.from()} where ${condition}`;
  return sql`${keys} and ${key} in (${found})`;
}
