import { ProblemError, type Problem } from '@tantamos/core';
import { plainToInstance } from 'class-transformer';
import { validate, type ValidationError } from 'class-validator';

/** The request as an instance of its class; throws `bad_request` for each member that is wrong, missing or unknown. */
export async function validated<T extends object>(shape: new () => T, given: unknown): Promise<T> {
  if (typeof given !== 'object' || given === null || Array.isArray(given))
    throw new ProblemError({ code: 'bad_request', message: 'The body must be a JSON object.' });
  const instance = plainToInstance(shape, given);
  const errors = await validate(instance, { whitelist: true, forbidNonWhitelisted: true, forbidUnknownValues: true });
  const [first, ...rest] = errors.flatMap((e) => problemsOf(e, ''));
  if (first) throw new ProblemError(first, ...rest);
  return instance;
}

function problemsOf(error: ValidationError, before: string): Problem[] {
  const where =
    before === ''
      ? error.property
      : /^\d+$/.test(error.property)
        ? `${before}[${error.property}]`
        : `${before}.${error.property}`;
  const own = Object.entries(error.constraints ?? {}).map(([rule, message]): Problem => ({
    code: 'bad_request',
    where,
    message:
      rule === 'whitelistValidation'
        ? `“${where.slice(0, 60)}” is not known here.`
        : `${where}: ${message.replace(`${error.property} `, '')}.`,
  }));
  return [...own, ...(error.children ?? []).flatMap((child) => problemsOf(child, where))];
}
