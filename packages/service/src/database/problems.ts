import { fail } from '@tantamos/core';
import { codeOf } from './refusal';

/** Did a statement fail over a value that does not fit its type (SQLSTATE class 22, data exception)? */
export function isBadValue(error: unknown): boolean {
  return codeOf(error).startsWith('22');
}

/** Errors of the database that a person caused or can wait out, as problems; anything else is thrown on as a bug. */
export function asProblem(error: unknown): never {
  switch (codeOf(error)) {
    case '57014':
      return fail(
        'too_slow',
        'The search took too long and was stopped; narrow the filter, or sort by a field with an index.',
      );
    case '54001':
      return fail('too_deep', 'The filter is too large for the database to read.');
    case '22003':
    case '22008':
      return fail('bad_value', 'A number or date of the filter is beyond what the field can hold.', {
        where: 'filter',
      });
    case '42501':
      return fail('not_permitted', 'The account Tantamos uses in the database may not read this type.');
  }
  throw error;
}
