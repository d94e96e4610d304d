import { ProblemError, type Problem } from '@tantamos/core';
import { classIn, isNullable } from '@tantamos/contract';
import { plainToInstance } from 'class-transformer';
import { validate, type ValidationError } from 'class-validator';

/** The request as an instance of its class; throws `bad_request` for each member that is wrong, missing or unknown. */
export async function validated<T extends object>(shape: new () => T, given: unknown): Promise<T> {
  if (typeof given !== 'object' || given === null || Array.isArray(given))
    throw new ProblemError({ code: 'bad_request', message: 'The body must be a JSON object.' });
  if (Object.keys(given).length > mostMembers)
    throw new ProblemError({ code: 'bad_request', message: 'The body has far more members than are known here.' });
  refuseInherited(shape, given, '');
  const instance = withDictionaries(given, () => plainToInstance(shape, given));
  const errors = await validate(instance, { whitelist: true, forbidNonWhitelisted: true, forbidUnknownValues: true });
  const [first, ...rest] = errors.flatMap((e) => problemsOf(e, ''));
  if (first) throw new ProblemError(first, ...rest);
  leaveOutNull(instance);
  return instance;
}

/** A name that every object has: where it is a member of its own, libraries take it for something else. */
const isInherited = (name: string): boolean => name in Object.prototype;

/** Refuses such a name where a request class says which members there are. In a dictionary, any name may stand. */
function refuseInherited(shape: new () => object, given: object, before: string): void {
  for (const [name, value] of Object.entries(given) as [string, unknown][]) {
    const where = before === '' ? name : `${before}.${name}`;
    if (isInherited(name)) throw new ProblemError(unknownMember(where));
    for (const [i, held] of (Array.isArray(value) ? value : [value]).entries()) {
      if (typeof held !== 'object' || held === null || Array.isArray(held)) continue;
      const inner = classIn(shape, name, held as object);
      if (inner) refuseInherited(inner, held as object, Array.isArray(value) ? `${where}[${i}]` : where);
    }
  }
}

const unknownMember = (where: string): Problem => ({
  code: 'bad_request',
  where,
  message: `“${where.slice(0, 60)}” is not known here.`,
});

/** Null is as if it were left out, wherever it says nothing of its own. */
function leaveOutNull(instance: object): void {
  for (const here of [instance, ...objectsOf(instance)])
    for (const [key, value] of Object.entries(here))
      if (value === null && isRequest(here) && !isNullable(here, key)) Reflect.deleteProperty(here, key);
}

/** Of one of our classes, and no dictionary or list. */
function isRequest(value: object): boolean {
  const proto: unknown = Object.getPrototypeOf(value);
  return proto !== Object.prototype && proto !== Array.prototype && proto !== null;
}

function* objectsOf(root: object): Generator<object> {
  for (const { value } of membersOf(root)) if (typeof value === 'object' && value !== null) yield value;
}

/** No request class has as many members as this: an object that has is a dictionary. */
const mostMembers = 200;

/**
 * Does `work` with the dictionaries inside `given` out of sight, and puts them back into what comes of it: class-transformer
 * compares each key of an object with all before it, which for 200,000 values by key took minutes and held everybody up. So
 * are filters, which are trees of no class, null in a list, and objects with a member such as `constructor`: it asks
 * these for their class.
 */
function withDictionaries<T extends object>(given: object, work: () => T): T {
  const away: Member[] = [];
  for (const { parent, key, value } of membersOf(given))
    if (value === null || key === 'filter' || isDictionary(value)) {
      away.push({ parent, key, value });
      parent[key] = () => value;
    }
  const made = work();
  for (const { parent, key, value } of membersOf(made))
    if (typeof value === 'function') parent[key] = (value as () => unknown)();
  // What was given stays as it was.
  for (const { parent, key, value } of away) parent[key] = value;
  return made;
}

function isDictionary(value: object): boolean {
  if (Array.isArray(value)) return false;
  const names = Object.keys(value);
  return names.length > mostMembers || names.some(isInherited);
}

interface Member {
  readonly parent: Record<string, unknown>;
  readonly key: string;
  readonly value: object | null;
}

/** Every object or function within an object, and null in a list, without recursion; not what a dictionary holds. */
function* membersOf(root: object): Generator<Member> {
  const open: object[] = [root];
  for (let here = open.pop(); here !== undefined; here = open.pop()) {
    const parent = here as Record<string, unknown>;
    for (const key of Object.keys(parent)) {
      const value = parent[key];
      if ((typeof value !== 'object' && typeof value !== 'function') || (value === null && !Array.isArray(here)))
        continue;
      yield { parent, key, value };
      if (typeof parent[key] === 'object' && typeof value === 'object' && value !== null) open.push(value);
    }
  }
}

function problemsOf(error: ValidationError, before: string): Problem[] {
  const where =
    before === ''
      ? error.property
      : /^\d+$/.test(error.property)
        ? `${before}[${error.property}]`
        : `${before}.${error.property}`;
  const own = Object.entries(error.constraints ?? {}).map(([rule, message]): Problem =>
    rule === 'whitelistValidation'
      ? unknownMember(where)
      : {
          code: 'bad_request',
          where,
          message: `${where}: ${message.startsWith(`${error.property} `) ? message.slice(error.property.length + 1) : message}.`,
        },
  );
  return [...own, ...(error.children ?? []).flatMap((child) => problemsOf(child, where))];
}
