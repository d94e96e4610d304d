import { clip, type Field } from '../catalog/catalog';
import { always, and, fieldTree, firstOf, type Case } from '../language/build';
import { canonical } from '../language/value';
import { typeOfBase } from '../language/types';
import type { Checked } from '../language/checked';
import { numberOf, numberText } from '../language/evaluate/value';
import { resolveColumn } from '../catalog/path';
import { fail, Gathered, within } from '../problem';
import type { Change, Given, Rest } from './change';
import type { About, EditKind, Told } from './kind';
import { fieldName, group, keptValues, literal, many, oneOf, optional, type KeptValues } from './member';
import { fieldAt, sourceWords } from './source';
import type { Literal } from './literal';
import { editableField, fieldWords, givenValue, givenWords } from './value';

const rests = ['leave', 'refuse'] as const;

interface Pair {
  /** Blank: where there is no value. */
  readonly old: Literal;
  readonly new: Literal;
}

interface Range {
  /** From this on; below the first where it is missing. */
  readonly from?: Literal;
  /** Up to this, which is not in it; without end where it is missing. */
  readonly below?: Literal;
  readonly new: Literal;
}

/** Turns old values into new ones, by a table of them or by ranges. */
export interface MapEdit {
  readonly kind: 'map';
  readonly field: string;
  /** The field the old values are of: this one where nothing is said, else another or one reached (`grower.kind`). */
  readonly from?: string;
  readonly pairs?: readonly Pair[];
  readonly ranges?: readonly Range[];
  /** Instead of pairs: what the service keeps, where there are too many to be said at once. */
  readonly given?: KeptValues;
  /** All others get this. */
  readonly otherwise?: Literal;
  /** Without `otherwise`: all others are left as they are (the default), or not allowed. */
  readonly rest?: (typeof rests)[number];
}

const mostWrong = 50;
export const mostMapped = 10_000;

export const map: EditKind<MapEdit> = {
  members: {
    field: fieldName,
    from: optional(fieldName),
    pairs: optional(many(group<Pair>({ old: literal, new: literal }), mostMapped)),
    ranges: optional(many(group<Range>({ from: optional(literal), below: optional(literal), new: literal }), 1000)),
    given: optional(keptValues),
    otherwise: optional(literal),
    rest: optional(oneOf(rests)),
  },
  doc: 'Old values into new ones, each by its own line, or by ranges.',
  example: { kind: 'map', field: 'status', pairs: [{ old: 'draft', new: 'confirmed' }], rest: 'refuse' },
  words: ['translate', 'convert', 'recode', 'lookup', 'table', 'replace values', 'merge values', 'mapping'],
  lower(edit, about) {
    const field = editableField(about.type, edit.field);
    const source = sourceOf(edit, field, about);
    if ([edit.pairs, edit.ranges, edit.given].filter((said) => said !== undefined).length !== 1)
      fail('bad_value', 'A map is said by pairs of old and new values, or by ranges: by one of the two.', {
        where: 'pairs',
      });
    const problems = new Gathered();
    const rest = problems.gather(() => restOf(edit, field)) ?? { act: 'leave' };
    const change = edit.given
      ? keptChange(edit.given, field, source, rest)
      : edit.pairs
        ? pairsChange(edit.pairs, field, source, rest, problems)
        : rangesChange(edit.ranges!, field, source, rest, problems);
    problems.raise(mostWrong);
    return [change];
  },
  sentence(edit, of) {
    const { field, label } = fieldWords(of.type, edit.field);
    const by = edit.from === undefined ? label : `${label} by ${sourceWords(edit.from, of)}`;
    const lines = edit.given?.count ?? (edit.pairs ?? edit.ranges ?? []).length;
    const source = edit.from === undefined ? field : fieldAt(edit.from, of);
    const first =
      edit.pairs?.slice(0, 2).map((p) => `${oldWords(source, p.old, of)} → ${givenWords(field, p.new, of)}`) ?? [];
    const more = lines - first.length;
    const what = edit.ranges ? (more === 1 ? 'range' : 'ranges') : edit.given ? 'values' : 'more';
    const count = `${more.toLocaleString('en-US')} ${what}`;
    const all = [...first, ...(more > 0 ? [count] : [])].join(', ');
    const others =
      edit.otherwise !== undefined
        ? `, all others to ${givenWords(field, edit.otherwise, of)}`
        : edit.rest === 'refuse'
          ? ', no others allowed'
          : '';
    return `map ${by}: ${all}${others}`;
  },
};

const oldWords = (field: Field | undefined, old: Literal, told: Told): string =>
  String(old) === '' ? 'blank' : givenWords(field, old, told);

function sourceOf(edit: MapEdit, field: Field, { type, catalog }: About): Extract<Checked, { kind: 'field' }> {
  if (edit.from === undefined) return fieldTree(type, field) as Extract<Checked, { kind: 'field' }>;
  return within('from', () => {
    const at = resolveColumn(catalog, type, edit.from!);
    const kind = typeOfBase(at.field.base);
    if (kind === null || kind === 'list') fail('type_mismatch', `${at.field.label} has no values that can be mapped.`);
    return { kind: 'field', at };
  });
}

function restOf(edit: MapEdit, field: Field): Rest {
  if (edit.otherwise !== undefined) return { act: 'give', value: newValue(field, edit.otherwise, 'otherwise') };
  return { act: edit.rest ?? 'leave' };
}

/** A new value; of a reference by the name of its record. */
function newValue(field: Field, given: Literal, where: string): Checked {
  return String(given) === '' && !field.required ? { kind: 'null', type: 'text' } : givenValue(field, given, where);
}

function pairsChange(
  pairs: readonly Pair[],
  field: Field,
  source: Extract<Checked, { kind: 'field' }>,
  rest: Rest,
  problems: Gathered,
): Change {
  const seen = new Map<string, number>();
  const entries: { key: Checked; value: Checked }[] = [];
  for (const [i, pair] of pairs.entries()) {
    if (problems.problems.length >= mostWrong) break;
    problems.gather(() => {
      const key = oldValue(source.at.field, pair.old, `pairs[${i}].old`);
      const text = key.kind === 'named' ? `name ${key.question.text}` : key.kind === 'value' ? key.text : '';
      const before = seen.get(text);
      if (before !== undefined)
        fail('bad_value', `“${clip(String(pair.old))}” is mapped twice, in line ${before + 1} and in line ${i + 1}.`, {
          where: `pairs[${i}].old`,
        });
      seen.set(text, i);
      entries.push({ key, value: newValue(field, pair.new, `pairs[${i}].new`) });
    });
  }
  const given: Given = { entries, by: source, rest };
  return { field, value: { from: 'given', given }, when: null };
}

function keptChange({ id }: KeptValues, field: Field, by: Checked, rest: Rest): Change {
  return { field, value: { from: 'given', given: { kept: id, by, rest } }, when: null };
}

/** An old value in the text form that it is known by; the empty text is a blank. */
function oldValue(field: Field, given: Literal, where: string): Checked {
  if (String(given) === '') return { kind: 'value', dbType: 'text', text: '' };
  if (field.choices === null && field.refersTo === null && field.base === 'text')
    return { kind: 'value', dbType: 'text', text: String(given) };
  if (field.base === 'number' && field.choices === null && field.refersTo === null)
    return { kind: 'value', dbType: 'text', text: within(where, () => plainNumber(String(given), field)) };
  return givenValue(field, given, where);
}

/** A number without idle zeros, as the database is asked for it: 48.6 and 48.60 are one. */
function plainNumber(said: string, field: Field): string {
  const number = numberOf(canonical(field.base, said, field.label));
  return number ? numberText(number) : fail('bad_value', `${field.label}: “${clip(said)}” is no number to look up.`);
}

function rangesChange(
  ranges: readonly Range[],
  field: Field,
  source: Extract<Checked, { kind: 'field' }>,
  rest: Rest,
  problems: Gathered,
): Change {
  const of = source.at.field;
  const isOrdered = (of.base === 'number' || of.base === 'date' || of.base === 'moment') && of.refersTo === null;
  if (!isOrdered || of.choices !== null)
    fail('type_mismatch', `${of.label} is neither a number nor a date, so it has no ranges.`, { where: 'ranges' });
  const cases: Case[] = [];
  const end = (said: Literal | undefined, op: '>=' | '<', where: string): Checked | null => {
    if (said === undefined || said === '') return null;
    const text = within(where, () => canonical(of.base, String(said), of.label));
    return { kind: 'compare', op, left: source, right: { kind: 'value', dbType: endType(of), text } };
  };
  for (const [i, range] of ranges.entries())
    problems.gather(() => {
      const at = `ranges[${i}]`;
      const when = and(end(range.from, '>=', `${at}.from`), end(range.below, '<', `${at}.below`));
      if (!when) return fail('bad_value', 'A range has a beginning, an end, or both.', { where: at });
      return cases.push({ when, value: givenValue(field, range.new, `${at}.new`) });
    });
  const words = `${of.label} lies in none of the ranges`;
  const worked = { blank: 'refused', target: null, refusals: [{ when: always, words }] } as const;
  if (rest.act === 'give') cases.push({ when: always, value: rest.value });
  const when: Checked | null = rest.act === 'leave' ? { kind: 'or', operands: cases.map((c) => c.when) } : null;
  return { field, value: { from: 'expression', tree: firstOf(cases), worked }, when };
}

const endType = ({ base, dbType }: Field): string => (base === 'number' ? 'numeric' : dbType);
