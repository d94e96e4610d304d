import { clip, type Field } from '../catalog/catalog';
import { resolveColumn } from '../catalog/path';
import { call, calculated, fieldTree, numberTree, textTree } from '../language/build';
import type { Checked } from '../language/checked';
import { noResultsOf, type NoResult } from '../language/no-result';
import { canonicalDigits } from '../language/syntax';
import { typeOfBase } from '../language/types';
import { fail, within } from '../problem';
import type { Place } from './change';
import type { About, EditKind } from './kind';
import { amount, anyText, fieldName, many, optional, wholeNumber, yesNo } from './member';
import { sourceWords } from './source';
import { editableField, fieldWords, isFreeText } from './value';
import { joined, textWorked } from './worked';

/** Numbers the records one after another. */
export interface NumberEdit {
  readonly kind: 'number';
  readonly field: string;
  /** The first number, 1 where nothing is said, and how far it is to the next. */
  readonly start?: number | string;
  /** Goes on after the highest number that any record has, of those with the same `per`; `start` where there is none. */
  readonly goOn?: boolean;
  readonly step?: number | string;
  /** Of a text: stands before the number; what stands in braces is worked out. */
  readonly prefix?: string;
  /** Of a text: digits, with zeros in front; a number that needs more is not allowed. */
  readonly width?: number;
  /** Fields (or paths) to order by, `-` before one that goes down; the key decides between equals. */
  readonly order?: readonly string[];
  /** Begins anew for each value of these. */
  readonly per?: readonly string[];
}

export const number: EditKind<NumberEdit> = {
  members: {
    field: fieldName,
    start: optional(amount),
    goOn: optional(yesNo),
    step: optional(amount),
    prefix: optional(anyText),
    width: optional(wholeNumber(1, 30)),
    order: optional(many(fieldName, 10)),
    per: optional(many(fieldName, 10)),
  },
  doc: 'A running number or code, in an order.',
  example: { kind: 'number', field: 'note', prefix: '{crop}-', width: 4, per: ['crop'] },
  words: ['running number', 'sequence', 'counter', 'code', 'serial', 'autonumber', 'rank', 'position'],
  lower(edit, about) {
    const field = editableField(about.type, edit.field);
    const isText = isFreeText(field);
    if (!isText && (field.base !== 'number' || field.choices !== null || field.refersTo !== null))
      fail('type_mismatch', `${field.label} takes no running numbers.`, { where: 'field' });
    if (!isText && (edit.prefix ?? edit.width) !== undefined)
      fail('bad_value', `${field.label} is a number, which has no prefix and no width.`, {
        where: edit.prefix === undefined ? 'width' : 'prefix',
      });
    if (edit.goOn && Number(edit.step ?? 1) <= 0)
      fail('bad_value', 'What goes on after the highest number goes up: say a step above 0.', { where: 'step' });
    const n = running(edit);
    // What is in use already was not written by this job.
    const prefix = prefixOf(edit, edit.goOn ? { ...about, context: { ...about.context, ofEdit: false } } : about);
    const value = isText ? coded(edit, n, prefix) : n;
    const place: Place = {
      per: fieldsAt('per', edit.per ?? [], about).map((f) => f.tree),
      together: [],
      level: null,
      highest: edit.goOn ? { of: fieldTree(about.type, field), prefix } : null,
      order: fieldsAt('order', edit.order ?? [], about),
      value,
      worked: { blank: 'refused', target: null, refusals: refusalsOf(edit, n, value, field) },
    };
    return [{ field, value: { from: 'place', place }, when: null }];
  },
  sentence(edit, of) {
    const first = edit.prefix === undefined ? String(edit.start ?? 1) : `${clip(edit.prefix)}${padded(edit)}`;
    const start = edit.goOn ? `the highest in use on, or ${first}` : first;
    const step = edit.step !== undefined && Number(edit.step) !== 1 ? ` in steps of ${edit.step}` : '';
    const order = edit.order ? ` by ${edit.order.map((o) => directed(o, of)).join(', ')}` : '';
    const per = edit.per ? ` for each ${edit.per.map((p) => sourceWords(p, of)).join(', ')}` : '';
    return `number ${fieldWords(of.type, edit.field).label} from ${start}${step}${order}${per}`;
  },
};

const padded = ({ start = 1, width }: NumberEdit): string => String(start).padStart(width ?? 0, '0');

function directed(order: string, of: Pick<About, 'type' | 'catalog'>): string {
  return order.startsWith('-') ? `${sourceWords(order.slice(1), of)} (greatest first)` : sourceWords(order, of);
}

const exact = (n: number | string): Checked => numberTree(canonicalDigits(String(n).trim()));

/** start + step × (place − 1) */
function running({ start = 1, step = 1, goOn }: NumberEdit): Checked {
  const before = calculated('-', { kind: 'place', what: 'number' }, numberTree('1'));
  const next = calculated('+', { kind: 'place', what: 'highest' }, exact(step));
  const first = goOn ? call('coalesce', 'number', next, exact(start)) : exact(start);
  return calculated('+', first, calculated('*', exact(step), before));
}

function prefixOf({ prefix }: NumberEdit, about: About): Checked | null {
  if (prefix === undefined || prefix === '') return null;
  return textWorked('prefix', prefix, about)?.tree ?? textTree(prefix);
}

function coded({ width }: NumberEdit, n: Checked, prefix: Checked | null): Checked {
  const digits = call('text', 'text', n);
  const wide = width === undefined ? digits : call('pad', 'text', digits, numberTree(String(width)), textTree('0'));
  return prefix === null ? wide : joined([prefix, wide]);
}

function refusalsOf(edit: NumberEdit, n: Checked, value: Checked, field: Field): readonly NoResult[] {
  const { width } = edit;
  const reasons = noResultsOf(value);
  if (width === undefined) return reasons;
  const words = `The number has more than the ${width} digits there are for it in ${field.label}`;
  return [{ when: isTooWide(edit, n, width), words, always: true }, ...reasons];
}

/** Whole numbers are compared, which is quicker than to write each down and measure it; a sign takes a digit's room. */
function isTooWide({ start = 1, step = 1 }: NumberEdit, n: Checked, width: number): Checked {
  if (![start, step].every((of) => /^\d+$/.test(String(of).trim()))) {
    const size = call('len', 'number', call('text', 'text', n));
    return { kind: 'compare', op: '>', left: size, right: numberTree(String(width)) };
  }
  return { kind: 'compare', op: '>', left: n, right: numberTree('9'.repeat(width)) };
}

/** Fields to order by, or to group by. */
export function fieldsAt(
  where: string,
  all: readonly string[],
  { catalog, type }: About,
): readonly { readonly tree: Checked; readonly descending: boolean }[] {
  return all.map((said, i) =>
    within(`${where}[${i}]`, () => {
      const descending = said.startsWith('-');
      const at = resolveColumn(catalog, type, descending ? said.slice(1) : said);
      const kind = typeOfBase(at.field.base);
      if (kind === null || kind === 'list') fail('type_mismatch', `${at.field.label} has no order.`);
      return { tree: { kind: 'field', at }, descending };
    }),
  );
}
