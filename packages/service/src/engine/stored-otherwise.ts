import { envOf, firing, typeNow, type Catalog, type WorkOrder } from '@tantamos/core';
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
    const [found] = await database.askWithin<{ count: number; examples: string[] }>(
      storedByNow(runId, index, { type: typeNow(catalog, part.type), writes: part.writes, env: envOf(order) }),
      longestLook,
    );
    if (!found || found.count === 0) continue;
    const one = found.count === 1;
    notes.push({
      code: 'stored_otherwise',
      count: found.count,
      message: `${found.count.toLocaleString('en-US')} of the records changed ${one ? 'holds' : 'hold'} another value by now: triggers of the database, or people, have changed ${one ? 'it' : 'them'} since. An undo leaves ${one ? 'it' : 'them'} as ${one ? 'it is' : 'they are'}.`,
      examples: found.examples,
    });
  }
  if (notes.length > 0)
    await database.rows('update tantamos.run set notes = $2 where id = $1', [runId, JSON.stringify(notes)]);
}
