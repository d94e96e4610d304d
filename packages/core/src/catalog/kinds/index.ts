import { date } from './date';
import { json } from './json';
import type { Kind } from './kind';
import { list } from './list';
import { moment } from './moment';
import { number } from './number';
import { other } from './other';
import { text } from './text';
import { uuid } from './uuid';
import { yesNo } from './yes-no';

// The only list of kinds.
const all = { text, number, yes_no: yesNo, date, moment, uuid, json, list, other } as const satisfies Record<
  string,
  Kind
>;

/** How values of a field compare and are written, whatever the field is for. */
export type Base = keyof typeof all;
export const bases = Object.keys(all) as readonly Base[];

export function ofBase(base: Base): Kind {
  return all[base];
}

/** The kind that holds values of a type of the database (pg_type.typname). */
export function baseStoredAs(name: string): Base {
  return bases.find((base) => ofBase(base).stored.includes(name)) ?? 'other';
}
