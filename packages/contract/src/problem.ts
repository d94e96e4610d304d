import { problemCodes } from '@tantamos/core';
import { Type } from '@sinclair/typebox';
import { ProblemShape } from './jobs';
import { named, oneOf, text, type Answer } from './shape';

/** RFC 9457 problem details, with every problem found. */
export const ProblemDetails = named('ProblemDetails', {
  type: text,
  title: text,
  status: Type.Integer(),
  detail: text,
  code: oneOf([...problemCodes, 'bug'] as const),
  problems: Type.Array(ProblemShape),
});
export type ProblemDetails = Answer<typeof ProblemDetails>;
