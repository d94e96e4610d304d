import {
  clip,
  fail,
  fieldNamed,
  fieldNow,
  raw,
  sql,
  typeNow,
  value,
  type Catalog,
  type Field,
  type Sql,
  type WorkOrder,
} from '@tantamos/core';
import type { JournalPick } from '@tantamos/contract';
import type { Database } from '../database/database';
import { longestSearch } from '../database/patience';
import { letter, valueJoins } from '../engine/statements/rows';
import { rowsAt, type JournalRow } from './journal';

/**
 * Records of a preview that are worth a look, at most `limit`: one of each from → to of a field, or those in which it changes
 * most, comes to be longest, or comes to be blank.
 */
export async function pickedRows(
  database: Database,
  preview: string,
  order: WorkOrder,
  catalog: Catalog,
  wanted: { readonly pick: JournalPick; readonly field?: string },
  limit: number,
): Promise<JournalRow[]> {
  const part = order.parts[0]!;
  const type = typeNow(catalog, part.type);
  // By a field that is withheld nothing is put in order.
  const seen = part.writes.filter((field) => fieldNamed(type, field)?.hidden === false);
  const name = wanted.field ?? seen[0] ?? '';
  if (!seen.includes(name))
    fail('unknown_field', `This preview changes no field “${clip(name)}”.`, { where: 'field', suggestions: seen });
  const field = fieldNow(type, name);
  const from = sql`tantamos.batch b ${valueJoins([name], 'b.preview', 'b.position')}
    cross join lateral rows from (unnest(v1.old), unnest(v1.new), string_to_table(b.verdicts, null)) with ordinality i(old, new, verdict, n)
    where b.preview = ${value(preview)}::uuid and b.part = 0 and i.verdict = ${letter('will_change')} and i.old is distinct from i.new`;
  const places = await database.askWithin<{ position: number; n: number }>(
    sql`${picked(from, wanted.pick, field)} limit ${value(limit)}`,
    longestSearch,
  );
  return rowsAt(database, preview, order, places);
}

function picked(from: Sql, pick: JournalPick, field: Field): Sql {
  switch (pick) {
    case 'spread':
      return sql`select (min(array[b.position, i.n]))[1]::int as position, (min(array[b.position, i.n]))[2]::int as n
        from ${from} group by i.old, i.new order by count(*) desc, 1, 2`;
    case 'largest':
      return sql`select b.position, i.n::int as n from ${from} and ${distance(field)} is not null
        order by ${distance(field)} desc, 1, 2`;
    case 'longest':
      return sql`select b.position, i.n::int as n from ${from} and i.new <> '' order by char_length(i.new) desc, 1, 2`;
    case 'emptied':
      return sql`select b.position, i.n::int as n from ${from} and i.old <> '' and coalesce(i.new, '') = '' order by 1, 2`;
  }
}

/** How far a value goes from what it was. */
function distance({ base, label, refersTo, choices }: Field): Sql {
  if (base === 'number' && refersTo === null && choices === null)
    return raw("nullif(abs(i.new::numeric - i.old::numeric), 'NaN'::numeric)");
  if (base === 'date')
    return raw('abs(case when isfinite(i.new::date) and isfinite(i.old::date) then i.new::date - i.old::date end)');
  if (base === 'moment')
    return raw(
      'abs(case when isfinite(i.new::timestamptz) and isfinite(i.old::timestamptz) then extract(epoch from i.new::timestamptz - i.old::timestamptz) end)',
    );
  return fail('type_mismatch', `${label} has no size to change by: it is neither a number nor a date.`, {
    where: 'field',
  });
}
