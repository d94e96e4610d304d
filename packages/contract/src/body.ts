import { Transform, Type, type TypeOptions } from 'class-transformer';
import { defaultMetadataStorage } from 'class-transformer/cjs/storage';
import { IsArray, IsObject, IsOptional, ValidateBy, ValidateNested } from 'class-validator';
import { JSONSchema } from 'class-validator-jsonschema';

// What the request classes are made with. Only what a class names may stand in a body or query; the rest is refused.

/** An object of this class; on its own the library takes a list, or nothing at all, where one is needed. */
export const Nested =
  (of: () => new () => object): PropertyDecorator =>
  (target, key) => {
    IsObject()(target, key);
    ValidateNested()(target, key);
    Type(of)(target, key);
  };

/** A list of such objects, with nothing between them. */
export const NestedList =
  (of: () => new () => object, options?: TypeOptions): PropertyDecorator =>
  (target, key) => {
    IsArray()(target, key);
    IsObject({ each: true })(target, key);
    ValidateNested({ each: true })(target, key);
    Type(of, options)(target, key);
  };

const nullables = new WeakMap<object, Set<PropertyKey>>();

/** May be left out, or be null, which says something else; of all others that may be left out, null says the same. */
export const Nullable = (): PropertyDecorator => (target, key) => {
  IsOptional()(target, key);
  nullables.set(target, (nullables.get(target) ?? new Set()).add(key));
};

/** Does null say something of its own for this member of a request? */
export function isNullable(instance: object, key: string): boolean {
  for (let proto: object | null = instance; proto; proto = Object.getPrototypeOf(proto) as object | null)
    if (nullables.get(proto)?.has(key)) return true;
  return false;
}

/** The request class that a member of a request class holds, itself or in a list; undefined where any value may stand there. */
export function classIn(shape: new () => object, member: string, given: object): (new () => object) | undefined {
  const nested = defaultMetadataStorage.findTypeMetadata(shape, member);
  const kinds = nested?.options.discriminator;
  const kind = kinds && (given as Readonly<Record<string, unknown>>)[kinds.property];
  return kinds?.subTypes.find((sub) => sub.name === kind)?.value ?? nested?.typeFunction();
}

/** In a query, texts with commas between; in a body a list. */
export const CommaList = (): PropertyDecorator =>
  Transform(({ value }: { value: unknown }) =>
    typeof value === 'string'
      ? value
          .split(',')
          .map((s) => s.trim())
          .filter(Boolean)
      : value,
  );

/** The database's `integer`. */
export const largestInteger = 2_147_483_647;

/** Checked by a function of our own, and described so in the document. */
export function Fits(
  name: string,
  schema: Readonly<Record<string, unknown>>,
  fits: (given: unknown) => boolean,
  must: string,
): PropertyDecorator {
  return (target, key) => {
    JSONSchema(() => ({ ...schema }))(target, key as string);
    ValidateBy({ name, validator: { validate: fits, defaultMessage: () => must } })(target, key);
  };
}

const moments = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(:\d{2}(\.\d{1,6})?)?(Z|[+-]\d{2}:?\d{2})$/;

/** A moment of ISO 8601, with its offset: what the database takes, and no more. */
export const IsMoment = (): PropertyDecorator =>
  Fits(
    'isMoment',
    { type: 'string', format: 'date-time' },
    (v) => typeof v === 'string' && moments.test(v) && !Number.isNaN(Date.parse(v)),
    'it must be a moment such as 2026-05-01T08:00:00Z',
  );

export const isObject = (given: unknown): boolean =>
  typeof given === 'object' && given !== null && !Array.isArray(given);

/** A class that is defined further below; hidden from the metadata that decorators emit. */
export type Later<T> = T;
