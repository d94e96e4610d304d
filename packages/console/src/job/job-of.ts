import type { JobBody } from '@tantamos/contract';
import { pickedPartsOf, type Draft } from './draft';
import { completeEdits } from './edits';
import { wholeOf } from './whole-of';

/** The job as the service takes it; edits that are not filled in yet are left out. */
export function jobOf(draft: Draft, type: string): JobBody {
  return {
    selection: { type, ...pickedPartsOf(draft) },
    edits: draft.act === 'delete' ? [] : completeEdits(draft.edits),
    ...wholeOf(draft),
    safety: draft.safety,
    ...(draft.why.trim() ? { why: draft.why.trim() } : {}),
    ...(draft.writeAgain ? { writeAgain: true } : {}),
  };
}
