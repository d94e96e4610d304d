import { envOf, typeNow, type WorkOrder } from '@tantamos/core';
import type { Database } from '../database/database';
import { returnedToViolation } from '../engine/statements/returned';
import type { Compiler } from '../jobs/compiler';
import type { Note } from '../previews/preview-row';
import type { Seen } from '../rights/seen';

/** As long as counting by one rule may take, in ms. */
const longestCount = 5000;

/** Of a frozen undo, how many records it returns to a state, or by a change, that a rule that is on forbids. */
export async function returnedNotes(
  { database, compiler }: { readonly database: Database; readonly compiler: Compiler },
  seen: Seen,
  preview: string,
  order: WorkOrder,
): Promise<Note[]> {
  const notes: Note[] = [];
  const env = envOf(order);
  for (const [part, { act, type: id, writes }] of order.parts.entries()) {
    if (act === 'delete' || writes.length === 0) continue;
    const { context } = await compiler.context(seen, [{ type: id }]);
    const type = seen.withEverything((whole) => typeNow(whole, id));
    for (const rule of context.rulesOf(id)) {
      if (act === 'update' ? !rule.fields.some((f) => writes.includes(f)) : rule.ofChange) continue;
      const count = await database
        .askWithin<{ count: number }>(
          returnedToViolation({ preview, part, act, type, writes, env }, rule),
          longestCount,
        )
        .then(([found]) => found?.count ?? 0)
        .catch(() => null);
      const label = `${type.label}: `;
      if (count === 0) continue;
      notes.push({
        code: 'rule_returns',
        count: count ?? 0,
        message:
          count === null
            ? `${label}how many records this undo returns to breaking a rule could not be counted in time: ${rule.message}`
            : `${label}this undo returns ${count.toLocaleString('en-US')} ${count === 1 ? 'record' : 'records'} to ${rule.ofChange ? 'a value by a change that a rule forbids' : 'breaking a rule'}: ${rule.message}`,
        examples: [],
      });
    }
  }
  return notes;
}
