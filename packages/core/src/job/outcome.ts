/** What became of a record in a run. In a preview `not_yet` means: will change. */
export const outcomes = [
  'changed',
  'already_right',
  'not_allowed',
  'edited_since',
  'refused',
  'in_use',
  'gone',
  'not_yet',
] as const;
export type Outcome = (typeof outcomes)[number];

/** The letter an outcome is stored as: one string of letters a batch, one letter a record. */
export const outcomeLetters: Record<Outcome, string> = {
  changed: 'c',
  already_right: 'r',
  not_allowed: 'x',
  edited_since: 'e',
  refused: 'f',
  in_use: 'u',
  gone: 'g',
  not_yet: 'n',
};
const byLetter = new Map(outcomes.map((o) => [outcomeLetters[o], o]));

export function outcomeOf(letter: string): Outcome {
  const outcome = byLetter.get(letter);
  if (!outcome) throw new Error(`No outcome has the letter ${letter}.`);
  return outcome;
}

/** Counts by outcome; they add up to `matched`, and a constraint of the database says so. */
export type Totals = { readonly matched: number } & { readonly [O in Outcome]: number };

export const noTotals: Totals = {
  matched: 0,
  changed: 0,
  already_right: 0,
  not_allowed: 0,
  edited_since: 0,
  refused: 0,
  in_use: 0,
  gone: 0,
  not_yet: 0,
};

/** Outcomes a person should look at, and that can be tried again as a new preview. */
export const needsAttention: readonly Outcome[] = ['edited_since', 'refused', 'in_use', 'gone', 'not_yet'];

const words: Record<Outcome, string> = {
  changed: 'changed',
  already_right: 'already right',
  not_allowed: 'not allowed',
  edited_since: 'edited since',
  refused: 'refused',
  in_use: 'in use',
  gone: 'gone',
  not_yet: 'not yet',
};
export function outcomeWords(outcome: Outcome): string {
  return words[outcome];
}

/** “240 matched = 5 changed + 235 not yet”; outcomes with none are left out unless all are wanted. */
export function equation(totals: Totals, options: { all?: boolean; preview?: boolean } = {}): string {
  const number = (n: number) => n.toLocaleString('en-US');
  const parts = outcomes
    .filter((o) => options.all || totals[o] > 0)
    .map((o) => `${number(totals[o])} ${o === 'not_yet' && options.preview ? 'will change' : words[o]}`);
  return `${number(totals.matched)} matched = ${parts.length ? parts.join(' + ') : '0'}`;
}
