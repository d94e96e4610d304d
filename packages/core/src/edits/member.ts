import type { Literal } from './literal';

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
/** Null: no value any more. */
export const literalsByKey: Member<Readonly<Record<string, Literal | null>>> = {
  schema: { type: 'object', additionalProperties: { type: ['string', 'number', 'boolean', 'null'] } },
  fits: (given): given is Readonly<Record<string, Literal | null>> =>
    typeof given === 'object' &&
    given !== null &&
    !Array.isArray(given) &&
    Object.values(given).every((v) => v === null || isLiteral(v)),
  must: 'must be an object of values by key',
};

const mostFieldsKept = 1000;
const uuid = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
/** Values that the service keeps: under which id, and how many; of a set with several fields, the place of this one, from 1. */
export interface KeptValues {
  readonly id: string;
  readonly count: number;
  readonly at?: number;
}
/** The id under which the service keeps something. */
export const keptId: Member<string> = {
  schema: { type: 'string', format: 'uuid' },
  fits: (given): given is string => typeof given === 'string' && uuid.test(given),
  must: 'must be the id under which something is kept',
};

export const keptValues: Member<KeptValues> = {
  schema: {
    type: 'object',
    required: ['id', 'count'],
    additionalProperties: false,
    properties: {
      id: keptId.schema,
      count: { type: 'integer', minimum: 1, maximum: Number.MAX_SAFE_INTEGER },
      at: { type: 'integer', minimum: 1, maximum: mostFieldsKept },
    },
  },
  fits: (given): given is KeptValues => {
    if (typeof given !== 'object' || given === null) return false;
    const { id, count, at = 1, ...more } = given as Record<string, unknown>;
    const isWithin = (n: unknown, most: number): boolean =>
      Number.isSafeInteger(n) && (n as number) >= 1 && (n as number) <= most;
    const isCounted = isWithin(count, Number.MAX_SAFE_INTEGER) && isWithin(at, mostFieldsKept);
    return keptId.fits(id) && isCounted && Object.keys(more).length === 0;
  },
  must: 'must be the id and count under which values are kept',
};

/** Characters of an expression in an edit: a job has many edits, and all of them are read at once. */
const longestExpression = 20_000;

/** An expression of the language. */
export const expression: Member<string> = {
  schema: { type: 'string', minLength: 1, maxLength: longestExpression },
  fits: isText(longestExpression),
  must: `must be an expression of ${longestExpression.toLocaleString('en-US')} characters at most`,
};

/** A text, which may be empty. */
export const anyText: Member<string> = {
  schema: { type: 'string', maxLength: mostText },
  fits: (given): given is string => typeof given === 'string' && given.length <= mostText,
  must: 'must be a text',
};

/** A text of a line or so. */
export const shortText: Member<string> = {
  schema: { type: 'string', minLength: 1, maxLength: 1000 },
  fits: isText(1000),
  must: 'must be a text of 1,000 characters at most',
};

export const yesNo: Member<boolean> = {
  schema: { type: 'boolean' },
  fits: (given): given is boolean => typeof given === 'boolean',
  must: 'must be true or false',
};

/** A number; one that must stay exact is sent as text. */
export const amount: Member<number | string> = {
  schema: { type: ['number', 'string'], maxLength: 100 },
  fits: (given): given is number | string =>
    typeof given === 'number'
      ? Number.isFinite(given)
      : typeof given === 'string' && given.length <= 100 && /^\s*[+-]?(\d+(\.\d*)?|\.\d+)\s*$/.test(given),
  must: 'must be a number',
};

export function wholeNumber(least: number, most: number): Member<number> {
  return {
    schema: { type: 'integer', minimum: least, maximum: most },
    fits: (given): given is number =>
      Number.isInteger(given) && (given as number) >= least && (given as number) <= most,
    must: `must be a whole number from ${least} to ${most.toLocaleString('en-US')}`,
  };
}

export function oneOf<const T extends string>(all: readonly T[]): Member<T> {
  return {
    schema: { type: 'string', enum: all },
    fits: (given): given is T => (all as readonly unknown[]).includes(given),
    must: `must be one of ${all.join(', ')}`,
  };
}

/** So many of a member, at least one. */
export function many<T>(member: Member<T>, most: number): Member<readonly T[]> {
  return {
    schema: { type: 'array', items: member.schema, minItems: 1, maxItems: most },
    fits: (given): given is readonly T[] =>
      Array.isArray(given) && given.length >= 1 && given.length <= most && given.every(member.fits),
    must: `must be a list, each of which ${member.must}`,
  };
}

/** An object of these members and no others. */
export function group<T>(members: { readonly [K in keyof T]-?: Member<T[K]> }): Member<T> {
  const all = Object.entries<Member>(members as Readonly<Record<string, Member>>);
  return {
    schema: {
      type: 'object',
      additionalProperties: false,
      properties: Object.fromEntries(all.map(([name, m]) => [name, m.schema])),
      required: all.filter(([, m]) => !m.optional).map(([name]) => name),
    },
    fits: (given): given is T =>
      typeof given === 'object' &&
      given !== null &&
      !Array.isArray(given) &&
      Object.keys(given).every((name) => Object.hasOwn(members, name)) &&
      all.every(([name, m]) => m.fits((given as Record<string, unknown>)[name])),
    must: `must be an object of ${all.map(([name]) => name).join(', ')}`,
  };
}

/** The member may be left out. */
export function optional<T>(member: Member<T>): Member<T | undefined> {
  return {
    ...member,
    fits: (given): given is T | undefined => given === undefined || member.fits(given),
    optional: true,
  };
}
