import { fieldNamed, type Catalog, type RecordType } from '../catalog/catalog';
import { checkCondition } from '../language/check';
import type { Checked } from '../language/checked';
import type { Context } from '../language/context';
import { parse } from '../language/parse';
import { list } from '../language/words';
import { fail } from '../problem';
import { actWords, isAboutTypes, isByField, isByRecord, type RightAct } from './acts';

/** One line of rights: allows or denies some acts, on some types, fields or records. A denial always wins. */
export interface RightLine {
  readonly id: string;
  readonly effect: 'allow' | 'deny';
  readonly acts: readonly RightAct[];
  /** Null: every type. */
  readonly types: readonly string[] | null;
  /** Of the one type; null: every field. */
  readonly fields: readonly string[] | null;
  /** CQL2 text over the one type: only records for which it is true; null: every record. */
  readonly filter: string | null;
  /** Of `change_many`: records that one run may change at most; null: any number. */
  readonly most: number | null;
}

/** Throws where a line could not mean anything: types and fields that are not there, narrowings that do not go together. */
export function checkLine(line: Omit<RightLine, 'id'>, catalog: Catalog): void {
  const { acts, types, fields, filter, most } = line;
  const one = types?.length === 1 ? catalog.find(types[0]!) : undefined;
  for (const id of types ?? []) catalog.type(id);
  const general = acts.find((act) => !isAboutTypes(act));
  if (general && (types || fields || filter))
    fail('bad_value', `The right to ${actWords(general)} is not about types, fields or records.`, { where: 'types' });
  if ((fields || filter) && !one)
    fail('bad_value', 'Fields and records are those of one type: say which.', { where: 'types' });
  for (const act of acts) {
    if (fields && !isByField(act))
      fail('bad_value', `The right to ${actWords(act)} cannot be narrowed to fields.`, { where: 'fields' });
    if (filter && !isByRecord(act))
      fail('bad_value', `The right to ${actWords(act)} cannot be narrowed to records.`, { where: 'filter' });
  }
  if (fields && filter && acts.includes('see'))
    fail('bad_value', 'Which fields may be seen cannot depend on the record: use two lines.', { where: 'filter' });
  for (const name of fields ?? []) {
    const field = fieldNamed(one!, name);
    if (!field) fail('unknown_field', `${one!.label} have no field “${name}”.`, { where: 'fields' });
    if (acts.includes('see') && line.effect === 'deny' && one!.key.includes(field.name))
      fail('bad_value', `${field.label} is the key, which is seen with the record.`, { where: 'fields' });
  }
  if (most !== null && (acts.length !== 1 || acts[0] !== 'change_many'))
    fail('bad_value', 'How many at most is said of the right to change many, alone.', { where: 'most' });
}

/** Which records a line is about, read; throws where that cannot be understood. */
export function lineCondition(filter: string, type: RecordType, catalog: Catalog, context: Context): Checked {
  return checkCondition(parse(filter), catalog, type, context);
}

/** “may see and change bookings: only status, where owner = me()”. */
export function lineWords(line: Omit<RightLine, 'id'>, catalog: Catalog): string {
  const { effect, acts, types, fields, filter, most } = line;
  const labels = types?.map((id) => catalog.find(id)?.label.toLowerCase() ?? `“${id}” (no longer there)`);
  const aboutTypes = acts.some(isAboutTypes);
  // “see bookings”, but “overwrite others’ edits in bookings”.
  const among = acts.length > 2 || acts.some((a) => a === 'overwrite' || a === 'change_many') ? ' in' : '';
  const of = aboutTypes ? `${among} ${labels ? list(labels, 'and') : 'records of every type'}` : '';
  const type = types?.length === 1 ? catalog.find(types[0]!) : undefined;
  const named = fields?.map((name) => (type && fieldNamed(type, name)?.label.toLowerCase()) ?? name);
  const only = named ? `, of their fields ${effect === 'allow' ? 'only ' : ''}${list(named, 'and')}` : '';
  const where = filter ? `, where ${filter}` : '';
  const upTo = most === null ? '' : effect === 'allow' ? `, up to ${number(most)}` : `, more than ${number(most)}`;
  const may = effect === 'allow' ? 'may' : 'may not';
  return `${may} ${list(acts.map(actWords), effect === 'allow' ? 'and' : 'or')}${of}${only}${where}${upTo}`;
}

function number(n: number): string {
  return n.toLocaleString('en-US');
}
