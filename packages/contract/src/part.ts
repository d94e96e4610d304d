import { doneActs } from '@tantamos/core';
import { nullable, oneOf, text } from './shape';

/** A part of a job, as previews and runs show it; each adds its own totals. */
export const partShape = {
  act: oneOf(['update', 'create', 'delete']),
  done: oneOf(doneActs),
  type: text,
  label: text,
  madeFor: nullable(text, 'of a create: the type of the records for which one is created each'),
};
