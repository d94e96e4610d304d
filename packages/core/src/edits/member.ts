import type { Literal } from './value';

/** What a member of an edit may hold: how JSON Schema says it, and whether a value fits. */
export interface Member<T = unknown> {
  readonly schema: Readonly<Record<string, unknown>>;
  fits(given: unknown): given is T;
  /** “… must be …”. */
  readonly must: string;
  readonly optional?: true;
}

const mostText = 1_000_000;

const isText =
  (most: number) =>
  (given: unknown): given is string =>
    typeof given === 'string' && given !== '' && given.length <= most;

function isLiteral(given: unknown): given is Literal {
  if (typeof given === 'string') return given.length <= mostText;
  return typeof given === 'boolean' || (typeof given === 'number' && Number.isFinite(given));
}

/** Name of a field. */
export const fieldName: Member<string> = {
  schema: { type: 'string', minLength: 1, maxLength: 200 },
  fits: isText(200),
  must: 'must be the name of a field',
};

/** A value: text, number or yes/no; numbers that must stay exact are sent as text. */
export const literal: Member<Literal> = {
  schema: { type: ['string', 'number', 'boolean'] },
  fits: isLiteral,
  must: 'must be a text, a number, true or false',
};

/** A value for each of some records, by key. */
export const literalsByKey: Member<Readonly<Record<string, Literal>>> = {
  schema: { type: 'object', additionalProperties: { type: ['string', 'number', 'boolean'] } },
  fits: (given): given is Readonly<Record<string, Literal>> =>
    typeof given === 'object' && given !== null && !Array.isArray(given) && Object.values(given).every(isLiteral),
  must: 'must be an object of values by key',
};

const uuid = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
/** Values that an earlier preview has kept. */
export const keptValues: Member<{ readonly id: string; readonly count: number }> = {
  schema: {
    type: 'object',
    required: ['id', 'count'],
    additionalProperties: false,
    properties: {
      id: { type: 'string', format: 'uuid' },
      count: { type: 'integer', minimum: 1, maximum: Number.MAX_SAFE_INTEGER },
    },
  },
  fits: (given): given is { id: string; count: number } => {
    if (typeof given !== 'object' || given === null) return false;
    const { id, count, ...more } = given as Record<string, unknown>;
    const isCount = Number.isSafeInteger(count) && (count as number) >= 1;
    return typeof id === 'string' && uuid.test(id) && isCount && Object.keys(more).length === 0;
  },
  must: 'must be the id and count that an earlier preview gave',
};

/** The member may be left out. */
export function optional<T>(member: Member<T>): Member<T | undefined> {
  return {
    ...member,
    fits: (given): given is T | undefined => given === undefined || member.fits(given),
    optional: true,
  };
}
