import { Type, type Static, type TObject, type TProperties, type TSchema, type TUnsafe } from '@sinclair/typebox';

// How answers are described: as JSON Schema (2020-12), from which both their types and the OpenAPI document come.

type DeepReadonly<T> = T extends readonly (infer I)[]
  ? readonly DeepReadonly<I>[]
  : T extends object
    ? { readonly [K in keyof T]: DeepReadonly<T[K]> }
    : T;

/** What a described answer is in code. */
export type Answer<S extends TSchema> = DeepReadonly<Static<S>>;

/** An object of just these members, known by its name in the document. */
export function named<P extends TProperties>(name: string, members: P): TObject<P> {
  return Type.Object(members, { $id: name, additionalProperties: false });
}

/** One of these texts. */
export function oneOf<const T extends string>(texts: readonly T[], description?: string): TUnsafe<T> {
  return Type.Unsafe<T>({ type: 'string', enum: [...texts], ...(description ? { description } : {}) });
}

export function nullable<S extends TSchema>(schema: S, description?: string) {
  return Type.Union([schema, Type.Null()], description ? { description } : {});
}

/** A shape that a request has too, described by the class of that name. */
export function asRequested<T>(name: string): TUnsafe<T> {
  return Type.Unsafe<T>({ $ref: `#/components/schemas/${name}` });
}

/** ISO 8601 date and time with offset. */
export const moment = Type.String({ format: 'date-time' });
/** A whole number from 0. */
export const count = Type.Integer({ minimum: 0 });
export const text = Type.String();
export const uuid = Type.String({ format: 'uuid' });
export const flag = Type.Boolean();

/** A whole number for each of these. */
export function counts<const T extends string>(name: string, of: readonly T[]): TUnsafe<Readonly<Record<T, number>>> {
  return Type.Unsafe<Readonly<Record<T, number>>>(
    Type.Object(Object.fromEntries(of.map((o) => [o, count])), { $id: name, additionalProperties: false }),
  );
}
