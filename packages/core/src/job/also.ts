import { clip, fieldNamed, fieldOf, type Field, type RecordType } from '../catalog/catalog';
import { hasKey } from '../catalog/key';
import type { Change } from '../edits/change';
import { editSentence, lowerEdit, type Edit } from '../edits/edit';
import type { About, Told } from '../edits/kind';
import { typeOf, type Checked, type CheckedSelection } from '../language/checked';
import { list, typeWords } from '../language/words';
import { fail, inside, within } from '../problem';
import { everyRecord } from '../selection/selection';

/** A record made for each record of a part, or for each that a reference field of these points at. */
export interface Also {
  readonly type: string;
  /** The field of `type` that points at what it is made for; may be left out where there is one. */
  readonly by?: string;
  /** A reference field of the part’s records: one for each record that it points at. Left out: one for each of them. */
  readonly per?: string;
  /** With `per`: the field of `type` that gets the first (by key) of the part’s records that it is made for. */
  readonly first?: string;
  /** What its fields get; what is in braces, and formulas, are over what it is made for. */
  readonly values: readonly Edit[];
}

/** The same, checked: `changes` are over records of `of`, their fields those of `type`. */
export interface CheckedAlso {
  readonly type: RecordType;
  readonly by: Field;
  /** What it is made for. */
  readonly of: RecordType;
  readonly per: Field | null;
  readonly changes: readonly Change[];
}

/** Kinds of edits that give a value to what had none. */
export const giving: readonly Edit['kind'][] = ['set', 'compute'];

/** Throws problems whose place is within it. */
export function checkAlso(also: Also, selection: CheckedSelection, about: Omit<About, 'into'>): CheckedAlso {
  const { catalog } = about;
  const per = also.per === undefined ? null : within('per', () => perField(about.type, also.per!));
  const of = per ? catalog.type(per.refersTo!) : about.type;
  const type = within('type', () => catalog.type(also.type));
  if (type.notChangeable !== null) fail('not_changeable', type.notChangeable, { where: 'type' });
  const by = within('by', () => wayTo(of, type, also.by));
  const taken = new Set<string>([by.name]);
  const first = within('first', () => firstOf(also.first, per, selection, type));
  if (first) taken.add(first.field.name);
  const changes = also.values.flatMap((value, i) =>
    inside(`values[${i}]`, () => {
      if (!giving.includes(value.kind))
        fail('bad_value', `What a new record gets is set or computed, not by “${clip(value.kind)}”.`, {
          where: 'kind',
        });
      if (value.where !== undefined)
        fail('bad_value', 'A new record has no value that a condition could leave as it is.', { where: 'where' });
      const lowered = lowerEdit(value, { ...about, type: of, into: type });
      for (const { field } of lowered) {
        if (taken.has(field.name))
          fail(
            'same_field_twice',
            `${field.name} is given twice${field.name === by.name ? ': it points at what the record is made for' : ''}.`,
            { where: 'field' },
          );
        taken.add(field.name);
      }
      return lowered;
    }),
  );
  const missing = unfilled(type, [...taken]);
  if (missing)
    fail(
      'bad_value',
      `${missing.hidden ? 'A field that you may not see' : missing.label} of new ${typeWords(type)} is required, and the database puts nothing there: give it a value.`,
      {
        where: 'values',
      },
    );
  return { type, by, of, per, changes: first ? [first, ...changes] : changes };
}

/** The fields of a new record that must be given a value: the database puts nothing there. */
export function neededOf({ fields, key }: Pick<RecordType, 'fields' | 'key'>): readonly Field[] {
  return fields.filter((f) => f.default === null && !f.generated && (key.includes(f.name) || f.required));
}

/** The first of them that would get none. */
export function unfilled(type: RecordType, given: readonly string[]): Field | undefined {
  return neededOf(type).find((f) => !given.includes(f.name));
}

function perField(type: RecordType, name: string): Field {
  const field = fieldOf(type, name);
  if (field.refersTo === null)
    fail(
      'type_mismatch',
      `One for each ${field.label.toLowerCase()} needs a field that points at records; this one does not.`,
    );
  return field;
}

/** The field of the new records' type that points at what they are made for. */
function wayTo(of: RecordType, type: RecordType, said: string | undefined): Field {
  if (!hasKey(of) || of.key.length > 1)
    fail(
      'not_changeable',
      `Nothing can be made along with ${typeWords(of)}: ${hasKey(of) ? 'their key is of several fields' : 'they have no key'}.`,
    );
  const ways = type.fields.filter((f) => f.refersTo === of.id && !f.hidden);
  const names = ways.map((f) => f.name);
  if (said !== undefined) {
    const field = fieldOf(type, said);
    if (field.refersTo !== of.id)
      fail('type_mismatch', `“${clip(said)}” of ${typeWords(type)} does not point at ${typeWords(of)}.`, {
        suggestions: names,
      });
    return field;
  }
  if (ways.length === 1) return ways[0]!;
  if (ways.length === 0)
    fail(
      'type_mismatch',
      `${type.label} have no field that points at ${typeWords(of)}, so none can be made for each of them.`,
    );
  return fail('bad_value', `${type.label} point at ${typeWords(of)} by ${list(names, 'and')}: say by which.`, {
    suggestions: names,
  });
}

/** The first of the records that one is made for gets into a field of it. */
function firstOf(
  name: string | undefined,
  per: Field | null,
  selection: CheckedSelection,
  into: RecordType,
): Change | null {
  if (name === undefined) return null;
  if (!per)
    fail(
      'bad_value',
      'What is made for each record points at that one; the first of several goes with one for each of a field.',
    );
  const child = selection.type;
  const field = fieldOf(into, name);
  if (field.refersTo !== child.id)
    fail('type_mismatch', `“${clip(name)}” of ${typeWords(into)} does not point at ${typeWords(child)}.`);
  const key = keyTree(child);
  const tree: Checked = {
    kind: 'children',
    fold: 'min',
    type: typeOf(key),
    relation: { child, field: per },
    value: key,
    condition: { kind: 'selected', name: 'these', key: null, selection },
    span: { start: 0, end: 0 },
  };
  return { field, value: { from: 'expression', tree }, when: null };
}

/** The value of a key's only field, of a record of the type. */
export function keyTree(type: RecordType): Checked {
  return { kind: 'field', at: { through: [], type, field: fieldNamed(type, type.key[0]!)! } };
}

/** A reference to what the record is made for. */
export function pointing({ by, of }: Pick<CheckedAlso, 'by' | 'of'>): Change {
  return { field: by, value: { from: 'expression', tree: keyTree(of) }, when: null };
}

/** The records that a reference field of a selection's records points at. */
export function pointedAtBy(selection: CheckedSelection, field: Field, of: RecordType): CheckedSelection {
  const related = { of: selection, how: 'pointed_at', field, self: false, depth: 1 } as const;
  return { ...everyRecord(of), related, env: selection.env };
}

/** “make remarks, one for each of them (text to “called”)” */
export function alsoWords(also: Also, told: Told): string {
  const { catalog, type: of } = told;
  const type = catalog.find(also.type);
  const per =
    also.per === undefined ? undefined : of.fields.find((f) => f.name.toLowerCase() === also.per!.toLowerCase());
  const source = per?.refersTo ? (catalog.find(per.refersTo) ?? of) : of;
  const into = type ?? of;
  const values = also.values.map((v) => editSentence(v, { ...told, type: source, into }).replace(/^set /, ''));
  if (also.first !== undefined) values.unshift(`${also.first.toLowerCase()} to the first of them`);
  const given = values.length > 0 ? ` (${list(values, 'and')})` : '';
  return `make ${type ? typeWords(type) : clip(also.type)}, one for each ${per ? per.label.toLowerCase() : 'of them'}${given}`;
}
