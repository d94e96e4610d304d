import { fieldNamed, type OrderPart, type RightAct } from '@tantamos/core';
import type { Seen } from './seen';

const acts: Readonly<Record<OrderPart['act'], RightAct>> = { update: 'change', create: 'create', delete: 'delete' };

/**
 * What a person must be let do to carry an order out: asked when its run is started and again at each batch, of today's rights.
 * An undo asks for the right to put back, and what has been hidden or protected since is not theirs to write any more; who
 * administers may still put it back. Throws `not_permitted` with the reason.
 */
export function mustCarryOut(kind: 'edit' | 'undo', parts: readonly OrderPart[], seen: Seen): void {
  for (const part of parts) {
    const type = seen.catalog.find(part.type);
    // What is there no more is told by whoever needs it.
    if (!type && !seen.isThere(part.type)) continue;
    if (!type) seen.refuse('It changes records that you may not see');
    if (kind === 'edit') {
      if (part.act === 'update') seen.mustChange(type, part.writes);
      else seen.must(acts[part.act], type);
      for (const { act, type: id, by } of part.along) {
        const along = seen.catalog.find(id) ?? seen.refuse('It makes or deletes records that you may not see');
        if (act === 'blank' || act === 'default' || act === 'follow') seen.mustChange(along, [by]);
        else seen.must(act === 'delete' ? 'delete' : 'create', along);
      }
      continue;
    }
    seen.must('put_back', type);
    if (seen.may('administer')) continue;
    for (const name of part.writes) {
      const field = fieldNamed(type, name);
      if (field?.hidden) seen.refuse('This run wrote a field that is hidden from you by now');
      if (field?.protected) seen.refuse(`${field.label} has been protected since`);
    }
  }
}
