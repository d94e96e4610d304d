import type { Outcome } from './outcome';

/** What about a record it was that the database refused. */
export const refusalKinds = [
  'unique',
  'foreign_key',
  'required',
  'check',
  'too_long',
  'out_of_range',
  'trigger',
  'row_rule',
  'timeout',
  'other',
] as const;
export type RefusalKind = (typeof refusalKinds)[number];

/** What a person can do about it. */
export type NextStep = 'show_other' | 'mend' | 'retry' | 'drop';

const next: Readonly<Record<RefusalKind, { readonly words: string; readonly steps: readonly NextStep[] }>> = {
  unique: {
    words: 'Look at the record that has the value, then give these another one, or leave them out.',
    steps: ['show_other', 'mend', 'retry'],
  },
  foreign_key: {
    words: 'Choose what is there, or make it first; then try these again.',
    steps: ['mend', 'retry'],
  },
  required: { words: 'Give the field a value by a further edit, then try these again.', steps: ['mend', 'retry'] },
  check: { words: 'Mend what breaks the rule by a further edit, then try these again.', steps: ['mend', 'retry'] },
  too_long: { words: 'Shorten the value by a further edit, then try these again.', steps: ['mend', 'retry'] },
  out_of_range: {
    words: 'Bring the value into its range by a further edit, then try these again.',
    steps: ['mend', 'retry'],
  },
  trigger: {
    words: 'A trigger of the database said so: ask who made it, or mend what it asks for, then try these again.',
    steps: ['mend', 'retry'],
  },
  row_rule: {
    words: 'The database lets its account change only some records: somebody who administers it can allow these.',
    steps: ['retry'],
  },
  timeout: { words: 'It took too long, perhaps only then: try these again.', steps: ['retry'] },
  other: {
    words: 'The words of the database say what it is; try these again when that is mended.',
    steps: ['mend', 'retry'],
  },
};

export function nextAfter(kind: RefusalKind): { readonly words: string; readonly steps: readonly NextStep[] } {
  return next[kind];
}

const nextOfEach: Readonly<Partial<Record<Outcome, { readonly words: string; readonly steps: readonly NextStep[] }>>> =
  {
    not_allowed: {
      words: 'The preview said so: mend what the rule asks for by a further edit, or leave these out.',
      steps: ['mend', 'drop'],
    },
    edited_since: {
      words: 'Look at what stands there now; trying again is a new preview of these.',
      steps: ['retry'],
    },
    in_use: { words: 'Somebody had them locked: try these again.', steps: ['retry'] },
    gone: { words: 'They are not there any more: there is nothing to do.', steps: [] },
  };

/** What can be done about records left so, where nothing more is known of them. */
export function nextOfOutcome(outcome: Outcome): { readonly words: string; readonly steps: readonly NextStep[] } {
  return nextOfEach[outcome] ?? next.other;
}
