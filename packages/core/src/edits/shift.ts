import type { Field } from '../catalog/catalog';
import { call, calculated, fieldTree, isBlank, not, numberTree, textTree } from '../language/build';
import type { Checked } from '../language/checked';
import { canonicalDigits } from '../language/syntax';
import { fail } from '../problem';
import type { EditKind } from './kind';
import { amount, fieldName, oneOf, optional, wholeNumber } from './member';
import { editableField, fieldWords } from './value';
import { worked } from './worked';

const units = ['days', 'working days', 'weeks', 'months', 'years'] as const;
export const dateEdges = [
  'start of week',
  'end of week',
  'start of month',
  'end of month',
  'start of quarter',
  'end of quarter',
  'start of year',
  'end of year',
] as const;
export const dayNames = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'] as const;

/** Moves a number or a date on from where it is. Blanks stay blank. */
export interface ShiftEdit {
  readonly kind: 'shift';
  readonly field: string;
  /** Added to a number; of a date so many `unit`s. */
  readonly by?: number | string;
  /** Added to a number, in percent of it. */
  readonly percent?: number | string;
  /** Of a date; days where nothing is said. */
  readonly unit?: (typeof units)[number];
  /** Of a date, after that: to the start or end of something. */
  readonly to?: (typeof dateEdges)[number];
  /** Of a date, after that: to the next such day of the week. */
  readonly next?: (typeof dayNames)[number];
  /** Of a number, after that: so many digits after the point; -2 makes hundreds. */
  readonly round?: number;
  /** Of a number: no less and no more than these. */
  readonly least?: number | string;
  readonly most?: number | string;
}

export const shift: EditKind<ShiftEdit> = {
  members: {
    field: fieldName,
    by: optional(amount),
    percent: optional(amount),
    unit: optional(oneOf(units)),
    to: optional(oneOf(dateEdges)),
    next: optional(oneOf(dayNames)),
    round: optional(wholeNumber(-10, 10)),
    least: optional(amount),
    most: optional(amount),
  },
  doc: 'A number by an amount or percent; a date by days, months, to the end of a month, to the next Monday.',
  example: { kind: 'shift', field: 'start_on', by: 10, unit: 'working days' },
  words: ['increase', 'decrease', 'raise', 'lower', 'add days', 'postpone', 'move date', 'extend', 'round', 'plus'],
  lower(edit, about) {
    const field = editableField(about.type, edit.field);
    const own = fieldTree(about.type, field);
    const isTime = field.base === 'date' || field.base === 'moment';
    if (!isTime && (field.base !== 'number' || field.choices !== null || field.refersTo !== null))
      fail('type_mismatch', `${field.label} is neither a number nor a date.`, { where: 'field' });
    mustFit(edit, field, isTime);
    const made = isTime ? shiftedTime(edit, own, field) : shiftedNumber(edit, own);
    return [{ field, value: worked(made, field, about.catalog), when: not(isBlank(own)) }];
  },
  sentence(edit, { type }) {
    const { field, label } = fieldWords(type, edit.field);
    return `shift ${label}${wordsOf(edit, field?.base !== 'number')}`;
  },
};

const forTimes = ['unit', 'to', 'next'] as const;
const forNumbers = ['percent', 'round', 'least', 'most'] as const;

function mustFit(edit: ShiftEdit, field: Field, isTime: boolean): void {
  for (const member of isTime ? forNumbers : forTimes)
    if (edit[member] !== undefined)
      fail('bad_value', `“${member}” is of ${isTime ? 'numbers' : 'dates'}; ${field.label} is none.`, {
        where: member,
      });
  if (isTime && edit.by !== undefined && !Number.isInteger(Number(edit.by)))
    fail('bad_value', `A date is shifted by whole ${edit.unit ?? 'days'}.`, { where: 'by' });
  const said = [edit.by, edit.percent, edit.to, edit.next, edit.round, edit.least, edit.most];
  if (said.every((s) => s === undefined))
    fail('bad_value', `By how much ${field.label} is to be shifted is missing.`, { where: 'by' });
  if (edit.least !== undefined && edit.most !== undefined && Number(edit.least) > Number(edit.most))
    fail('bad_value', 'The least is greater than the most.', { where: 'least' });
}

const digits = (n: number | string): Checked => numberTree(canonicalDigits(String(n).trim()));

function shiftedNumber({ by, percent, round, least, most }: ShiftEdit, own: Checked): Checked {
  let made = own;
  if (percent !== undefined) {
    const share = calculated('/', calculated('+', numberTree('100'), digits(percent)), numberTree('100'));
    made = calculated('*', made, share);
  }
  if (by !== undefined) made = calculated('+', made, digits(by));
  if (round !== undefined) made = call('round', 'number', made, numberTree(String(round)));
  if (least !== undefined) made = call('max', 'number', made, digits(least));
  return most === undefined ? made : call('min', 'number', made, digits(most));
}

function shiftedTime({ by, unit = 'days', to, next }: ShiftEdit, own: Checked, field: Field): Checked {
  const isMoment = field.base === 'moment';
  let day: Checked = isMoment ? { kind: 'convert', type: 'date', operand: own } : own;
  if (by !== undefined) day = on(day, Number(by), unit);
  if (to !== undefined) day = toEdge(day, to);
  if (next !== undefined) day = call('next_weekday', 'date', day, textTree(next));
  // The day moves; the clock of a moment stays.
  return isMoment ? call('with_clock', 'moment', day, own) : day;
}

function on(day: Checked, n: number, unit: (typeof units)[number]): Checked {
  const count = (times: number): Checked => numberTree(String(n * times));
  const plus = (days: Checked): Checked => ({ kind: 'arithmetic', op: '+', type: 'date', left: day, right: days });
  switch (unit) {
    case 'days':
      return plus(count(1));
    case 'weeks':
      return plus(count(7));
    case 'working days':
      return call('workday', 'date', day, count(1));
    case 'months':
      return call('edate', 'date', day, count(1));
    case 'years':
      return call('edate', 'date', day, count(12));
  }
}

function toEdge(day: Checked, edge: (typeof dateEdges)[number]): Checked {
  const [side, , unit] = edge.split(' ') as ['start' | 'end', string, 'week' | 'month' | 'quarter' | 'year'];
  const start = call('start_of', 'date', day, textTree(unit));
  const plus = (from: Checked, days: string): Checked => ({
    kind: 'arithmetic',
    op: '+',
    type: 'date',
    left: from,
    right: numberTree(days),
  });
  if (side === 'start') return start;
  if (unit === 'week') return plus(start, '6');
  const months = { month: '0', quarter: '2', year: '11' }[unit];
  return call('eomonth', 'date', start, numberTree(months));
}

function wordsOf(edit: ShiftEdit, isTime: boolean): string {
  const { by, percent, unit = 'days', to, next, round, least, most } = edit;
  const signed = (n: number | string): string => (String(n).trim().startsWith('-') ? `by ${n}` : `by +${n}`);
  const one = Math.abs(Number(by)) === 1 ? unit.replace(/s$/, '') : unit;
  const words = [
    percent !== undefined && `${signed(percent)} %`,
    by !== undefined && (isTime ? `${signed(by)} ${one}` : signed(by)),
    to !== undefined && `to the ${to}`,
    next !== undefined && `to the next ${next[0]!.toUpperCase()}${next.slice(1)}`,
    round !== undefined && `rounded to ${round} digits`,
    least !== undefined && `no less than ${least}`,
    most !== undefined && `no more than ${most}`,
  ].filter((w) => w !== false);
  return words.length > 0 ? ` ${words.join(', ')}` : '';
}
