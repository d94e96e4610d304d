import { join, raw, sql, value, type Sql } from '@tantamos/core';
import { letter } from './rows';

/** Where the batches of one statement go. */
export interface Freeze {
  readonly previewId: string;
  readonly part: number;
  /** Position of the first batch this statement writes. */
  readonly firstPosition: number;
  readonly batchSize: number;
  /** Their keys are whole numbers, and sorted as such. */
  readonly whole: boolean;
  /** Rows have a `spot`, where the record is in its table, and a `proof`. */
  readonly places: boolean;
  /** Which from → to pairs of each field are counted. */
  readonly counted: readonly Counted[];
  /** What is made along with each record that will change: its place in the order, and its fields. */
  readonly along: readonly { readonly at: number; readonly fields: readonly string[] }[];
}

/** All pairs of a field (the most frequent of them, where there are too many), or only these. */
export type Counted = 'all' | readonly { readonly old: string | null; readonly new: string | null }[];

/** At most this many different from → to pairs a field are counted one by one. */
export const mostPairs = 200;

/**
 * Freezes rows as `partRows` gives them. The rows that come back are from → to counts (`field`, `old`, `new`, `count`),
 * and one with `field` null whose `count` is the number of batches written.
 */
export function freezeRows(rows: Sql, fields: readonly string[], freeze: Freeze): Sql {
  const id = sql`${value(freeze.previewId)}::uuid`;
  const part = sql`${value(freeze.part)}::smallint`;
  const size = sql`${value(freeze.batchSize)}::int`;
  const position = sql`(${value(freeze.firstPosition)}::int + g.chunk)::int`;
  const columns = fields.map((_, i) => raw(`, old_${i + 1}, new_${i + 1}`));
  const arrays = fields.map((_, i) =>
    raw(`, array_agg(old_${i + 1}) as old_${i + 1}, array_agg(new_${i + 1}) as new_${i + 1}`),
  );
  const inserts = fields.map(
    (field, i) => sql`, ${raw(`value_${i + 1}`)} as (
      insert into tantamos.batch_value (preview, position, field, old, new)
      select ${id}, ${position}, ${value(field)}, ${raw(`g.old_${i + 1}, g.new_${i + 1}`)} from grouped g)`,
  );
  const pairs = fields.map((field, i) => pairCounts(field, i + 1, freeze.counted[i]!));
  const willChange = sql`filter (where verdict = ${letter('will_change')})`;
  const made = freeze.along.flatMap((a, j) =>
    a.fields.map((field, i) => ({ at: a.at, field, column: raw(`a${j + 1}_${i + 1}`) })),
  );
  const madeColumns = made.map(({ column }) => sql`, ${column}`);
  const madeArrays = made.map(({ column }) => sql`, array_agg(${column}) ${willChange} as ${column}`);
  const spot = freeze.places ? raw(', spot, proof') : raw('');
  const spots = freeze.places ? sql`, array_agg(spot) as spots, bit_xor(proof) ${willChange} as proof` : raw('');
  const place = freeze.places
    ? [
        sql`, place as (insert into tantamos.batch_place (preview, position, places, proof) select ${id}, ${position}, g.spots, g.proof from grouped g)`,
      ]
    : [];
  const owners =
    freeze.along.length > 0 ? sql`, array_agg(((n - 1) % ${size} + 1)::int) ${willChange} as owners` : raw('');
  const alongs = freeze.along.map(
    ({ at }) => sql`, ${raw(`along_${at}`)} as (
      insert into tantamos.batch_along (preview, position, along, owners)
      select ${id}, ${position}, ${value(at)}, g.owners from grouped g where g.owners is not null)`,
  );
  const alongValues = made.map(
    ({ at, field, column }, i) => sql`, ${raw(`along_value_${i + 1}`)} as (
      insert into tantamos.batch_along_value (preview, position, along, field, new)
      select ${id}, ${position}, ${value(at)}, ${value(field)}, g.${column} from grouped g where g.owners is not null)`,
  );
  return sql`
    with matched as materialized (
      select ((n - 1) / ${size})::int as chunk, n, key, signature, verdict,
        case when verdict in (${letter('not_allowed')}, ${letter('edited_since')}) then cause end as cause${join([...columns, ...madeColumns], '')}${spot}
      from (${rows}) ordered
    ), grouped as materialized (
      select chunk, array_agg(key) as keys, array_agg(signature) as signatures, string_agg(verdict, '') as verdicts,
        case when count(cause) > 0 then array_agg(cause) end as causes, ${raw(lowAndHigh(freeze.whole))}${join([...arrays, ...madeArrays], '')}${owners}${spots}
      from (select * from matched order by chunk, n) m group by chunk
    ), batch as (
      insert into tantamos.batch (preview, position, part, keys, signatures, verdicts, causes, key_low, key_high)
      select ${id}, ${position}, ${part}, g.keys, g.signatures, g.verdicts, g.causes, g.key_low, g.key_high from grouped g
    )${join([...inserts, ...place, ...alongs, ...alongValues], '')}
    select null::text as field, null::text as old, null::text as new, count(*) as count from grouped${join(pairs, '')}`;
}

/** The lowest and the highest key of some, as `key_low` and `key_high`. */
export function lowAndHigh(whole: boolean): string {
  const end = (of: 'min' | 'max'): string =>
    whole ? `tantamos.sortable(${of}(key::bigint)::text, true)` : `${of}(key collate "C")`;
  return `${end('min')} as key_low, ${end('max')} as key_high`;
}

/** Rows of `field`, `old`, `new`, `count` of the records that change in the field. */
function pairCounts(field: string, at: number, counted: Counted): Sql {
  const [was, will] = [raw(`old_${at}`), raw(`new_${at}`)];
  const among = (column: Sql, of: 'old' | 'new'): Sql => {
    const values = counted === 'all' ? [] : [...new Set(counted.flatMap((pair) => pair[of] ?? []))];
    return sql`(${column} = any(${value(values)}::text[]) or ${column} is null)`;
  };
  const only = counted === 'all' ? raw('') : sql` and ${among(was, 'old')} and ${among(will, 'new')}`;
  const most = counted === 'all' ? raw(` order by 4 desc, 2, 3 limit ${mostPairs + 1}`) : raw('');
  // A condition whose share the planner does not take for small: for a few rows it would sort them all instead of counting by hash.
  return sql` union all (select ${value(field)}::text, ${was}, ${will}, count(*) from matched
    where case when verdict = ${letter('will_change')} then ${was} is distinct from ${will} end${only} group by 2, 3${most})`;
}
