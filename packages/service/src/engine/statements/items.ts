import { join, raw, sql, value, type Sql } from '@tantamos/core';
import { letter, valueJoins } from './rows';

/** The stretch of a frozen batch that one statement applies: places low+1 … high, counted from 1 in the batch. */
export interface Slice {
  readonly previewId: string;
  readonly batch: number;
  readonly low: number;
  readonly high: number;
  /** Places to try, where not all of the stretch. */
  readonly only: readonly number[] | null;
}

/**
 * The records of a stretch that are to be dealt with, as a statement to stand in parentheses: `key`, `signature`,
 * `verdict`, `n` (place in the batch), and `new_1`… of the fields.
 */
export function itemsOf(fields: readonly string[], slice: Slice): Sql {
  const only = slice.only ? sql` and i.n = any(${value(slice.only)}::int[])` : raw('');
  return unpackedItems(
    fields,
    sql`(select ${value(slice.previewId)}::uuid as preview, ${value(slice.batch)}::int as batch, ${value(slice.low)}::int as low,
      ${value(slice.high)}::int as high)`,
    { more: only },
  );
}

/** The same of a row of `preview`, `batch`, `low`, `high`; with `places` also `spot`, where the record was in its table. */
export function unpackedItems(
  fields: readonly string[],
  stretch: Sql,
  { more = raw(''), places = false }: { readonly more?: Sql; readonly places?: boolean } = {},
): Sql {
  const hint = places
    ? raw(' join tantamos.batch_place h on h.preview = b.preview and h.position = b.position')
    : raw('');
  const spots = places ? raw(', unnest(h.places)') : raw('');
  const spot = places ? raw(', spot') : raw('');
  const arrays = fields.map((_, i) => raw(`, unnest(v${i + 1}.new)`));
  const names = fields.map((_, i) => raw(`, new_${i + 1}`));
  return sql`
    select i.* from ${stretch} s join tantamos.batch b on b.preview = s.preview and b.position = s.batch
    ${valueJoins(fields, 'b.preview', 'b.position')}${hint}
    cross join lateral rows from (unnest(b.keys), unnest(b.signatures), string_to_table(b.verdicts, null)${join(arrays, '')}${spots})
      with ordinality i(key, signature, verdict${join(names, '')}${spot}, n)
    where i.n > s.low and i.n <= s.high and i.verdict = ${letter('not_yet')}${more}`;
}
