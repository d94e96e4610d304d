import { alongOf, envOf, firing, typeNow, type Catalog, type WorkOrder } from '@tantamos/core';
import type { Database } from '../database/database';
import type { Note } from '../previews/preview-row';
import { storedByNow } from './statements/stored-by-now';

/** As long as a large run may need, in ms. */
const longestLook = 600_000;

/**
 * Counts, at the end of a run, the records that hold another value by now than was stored when they were written: changed by
 * triggers at work on other records, or by people since. Only where triggers may have; kept as a note of the run.
 */
export async function noteStoredOtherwise(
  database: Database,
  catalog: Catalog,
  runId: string,
  order: WorkOrder,
): Promise<void> {
  const notes: Note[] = [];
  for (const [index, part] of order.parts.entries()) {
    const type = catalog.find(part.type);
    if (part.act !== 'update' || part.writes.length === 0 || !type || firing(type, 'update', part.writes).length === 0)
      continue;
    const [found] = await database.askWithin<{ count: number; gone: number; examples: string[] }>(
      storedByNow(runId, index, { type: typeNow(catalog, part.type), writes: part.writes, env: envOf(order) }),
      longestLook,
    );
    if (!found || found.count === 0) continue;
    const { count, gone, examples } = found;
    const missing = gone === 0 ? '' : `, ${number(gone)} of them no longer exist${gone === 1 ? 's' : ''}`;
    const one = count === 1;
    notes.push({
      code: 'stored_otherwise',
      count,
      message:
        gone === count
          ? `${number(count)} of the records changed no longer exist${one ? 's' : ''}: triggers of the database, or people, have deleted ${one ? 'it' : 'them'} since.`
          : `${number(count)} of the records changed ${one ? 'holds' : 'hold'} another value by now${missing}: triggers of the database, or people, have changed ${one ? 'it' : 'them'} since. An undo leaves ${one ? 'it' : 'them'} as ${one ? 'it is' : 'they are'}.`,
      examples,
    });
  }
  notes.push(...(await relatedNotes(database, catalog, runId, order)));
  if (notes.length > 0)
    await database.rows('update tantamos.run set notes = $2 where id = $1', [runId, JSON.stringify(notes)]);
}

/** What the database stored of related records otherwise than it was written, by entry and field. */
async function relatedNotes(database: Database, catalog: Catalog, runId: string, order: WorkOrder): Promise<Note[]> {
  const found = await database.rows<{ along: number; field: string; count: number; keys: string[] }>(
    `select a.along, f.value ->> 'field' as field, sum((f.value ->> 'count')::int)::int as count,
       (array_agg(k.key))[1:20] as keys
     from tantamos.run_along a cross join lateral jsonb_array_elements(a.altered) f
     cross join lateral jsonb_array_elements_text(f.value -> 'keys') with ordinality k(key, n)
     where a.run = $1 and a.altered is not null and k.n = 1 group by 1, 2 order by 1, 2`,
    [runId],
  );
  const entries = alongOf(order);
  return found.map(({ along, field, count, keys }): Note => {
    const { entry } = entries.find((e) => e.at === along)!;
    const type = catalog.find(entry.type);
    const label = type?.fields.find((f) => f.name === field)?.label.toLowerCase() ?? field;
    const done = entry.act === 'create' ? 'created' : 'whose reference was restored';
    return {
      code: 'stored_otherwise',
      count,
      message: `${type?.label ?? entry.type}: of the records ${done}, ${number(count)} ${count === 1 ? 'holds' : 'hold'} another ${label} than was written: a trigger of the database changed it.`,
      examples: keys,
    };
  });
}

const number = (n: number): string => n.toLocaleString('en-US');
