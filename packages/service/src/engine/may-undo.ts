import { fail, type Catalog, type OrderPart } from '@tantamos/core';
import { mustBeAllowed, type Person } from '../accounts/rights';

/**
 * Undoing asks today's rights of the person: what has been hidden or protected since is not theirs to write any more, and
 * an administrator may still put it back. Throws with the reason.
 */
export function mayUndo(person: Person, parts: readonly OrderPart[], catalog: Catalog): void {
  mustBeAllowed(person, { act: 'undo' });
  if (person.role === 'administrator') return;
  for (const part of parts) {
    const type = catalog.find(part.type);
    if (!type) continue;
    mustBeAllowed(person, { act: 'see type', type });
    for (const name of part.writes) {
      const field = type.fields.find((f) => f.name === name);
      if (field?.hidden)
        fail('not_permitted', 'This run wrote a field that is hidden from you by now; an administrator can undo it.');
      if (field?.protected)
        fail('not_permitted', `${field.label} has been protected since; an administrator can undo this run.`);
    }
  }
}
