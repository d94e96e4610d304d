/** How an outcome is told at a glance: the console gives each tone its colour and pattern. */
export type Tone = 'done' | 'calm' | 'refused' | 'held' | 'lost' | 'ahead';

interface Entry {
  /** What it is stored as: one string of letters a batch, one letter a record. */
  readonly letter: string;
  readonly words: string;
  readonly tone: Tone;
  /** What a person is told of records left so; null: nothing is wrong with them. */
  readonly attention: string | null;
  /** May be tried again as a new preview. */
  readonly retry: boolean;
  /** A run that leaves some is not all done: the command line ends with another code. */
  readonly isTrouble: boolean;
  /** What a preview calls it, where it can be told beforehand. */
  readonly verdict: { readonly id: string; readonly words: string; readonly tone: Tone } | null;
}

const same = <I extends string>(id: I, words: string, tone: Tone) => ({ id, words, tone });

/**
 * What becomes of a record in a run: the only list. Sums, schemas, tabs, words, tones, exit codes and what a preview can say
 * derive from it; the database knows the letters by its own migration.
 */
const table = {
  changed: {
    letter: 'c',
    words: 'changed',
    tone: 'done',
    attention: null,
    retry: false,
    isTrouble: false,
    verdict: null,
  },
  already_right: {
    letter: 'r',
    words: 'already right',
    tone: 'calm',
    attention: null,
    retry: false,
    isTrouble: false,
    verdict: same('already_right', 'already right', 'calm'),
  },
  not_allowed: {
    letter: 'x',
    words: 'not allowed',
    tone: 'refused',
    attention: 'a rule does not allow; the preview said so.',
    retry: false,
    isTrouble: false,
    verdict: same('not_allowed', 'not allowed', 'refused'),
  },
  edited_since: {
    letter: 'e',
    words: 'edited since',
    tone: 'held',
    attention: 'somebody changed since the preview; left as they are.',
    retry: true,
    isTrouble: true,
    verdict: same('edited_since', 'edited since', 'held'),
  },
  refused: {
    letter: 'f',
    words: 'refused',
    tone: 'refused',
    attention: 'the database refused; each says why.',
    retry: true,
    isTrouble: true,
    verdict: null,
  },
  in_use: {
    letter: 'u',
    words: 'in use',
    tone: 'held',
    attention: 'somebody had locked to the end.',
    retry: true,
    isTrouble: true,
    verdict: null,
  },
  gone: {
    letter: 'g',
    words: 'gone',
    tone: 'lost',
    attention: 'no longer exist.',
    retry: false,
    isTrouble: true,
    verdict: same('gone', 'gone', 'lost'),
  },
  not_yet: {
    letter: 'n',
    words: 'not yet',
    tone: 'ahead',
    attention: null,
    retry: true,
    isTrouble: false,
    verdict: same('will_change', 'will change', 'done'),
  },
} as const satisfies Record<string, Entry>;

export type Outcome = keyof typeof table;
export const outcomes = Object.keys(table) as Outcome[];

/** What a preview says of a record beforehand: its own words, since *will change* is not *not yet*. */
export type Verdict = NonNullable<(typeof table)[Outcome]['verdict']>['id'];
/** What each verdict of a preview becomes when its run starts. */
const becomes = outcomes.flatMap((outcome) => {
  const { verdict, letter } = table[outcome];
  return verdict ? [{ ...verdict, outcome, letter }] : [];
});
/** In the order they are told: what will change first. */
export const verdicts: readonly Verdict[] = [...becomes.slice(-1), ...becomes.slice(0, -1)].map((v) => v.id);

type Told = Pick<Entry, 'letter' | 'words' | 'tone'>;
const told = new Map<Outcome | Verdict, Told>([
  ...becomes.map((v) => [v.id, v] as const),
  ...outcomes.map((o) => [o, table[o]] as const),
]);

/** What an outcome, or a verdict of a preview, is called. */
export function outcomeWords(of: Outcome | Verdict): string {
  return told.get(of)!.words;
}
export function outcomeTone(of: Outcome | Verdict): Tone {
  return told.get(of)!.tone;
}
/** The letter that each is stored as. */
export function letterOf(of: Outcome | Verdict): string {
  return told.get(of)!.letter;
}

const byLetter = new Map<string, Outcome>(outcomes.map((o) => [table[o].letter, o]));
const verdictByLetter = new Map<string, Verdict>(becomes.map((v) => [v.letter, v.id]));
/** The outcome that a run stores as this letter. */
export function outcomeOf(letter: string): Outcome {
  const outcome = byLetter.get(letter);
  if (!outcome) throw new Error(`No outcome has the letter ${letter}.`);
  return outcome;
}
/** What a verdict becomes when the run of its preview starts. */
export function outcomeAfter(verdict: Verdict): Outcome {
  return outcomeOf(letterOf(verdict));
}
/** The verdict that a preview stores as this letter. */
export function verdictOf(letter: string): Verdict {
  const verdict = verdictByLetter.get(letter);
  if (!verdict) throw new Error(`No verdict has the letter ${letter}.`);
  return verdict;
}

/** Counts by outcome; they add up to `matched`, and a constraint of the database says so. */
export type Totals = { readonly matched: number } & { readonly [O in Outcome]: number };
/** The same of a preview. */
export type VerdictTotals = { readonly matched: number } & { readonly [V in Verdict]: number };

/** Totals out of whatever has a number for each outcome. */
export function totalsOf(counts: Readonly<Record<Outcome | 'matched', number>>): Totals {
  return Object.fromEntries((['matched', ...outcomes] as const).map((o) => [o, counts[o]])) as unknown as Totals;
}
export function verdictTotalsOf(counts: Readonly<Record<Verdict | 'matched', number>>): VerdictTotals {
  const names = ['matched', ...verdicts] as const;
  return Object.fromEntries(names.map((v) => [v, counts[v]])) as unknown as VerdictTotals;
}
export const noTotals: Totals = totalsOf(
  Object.fromEntries(['matched', ...outcomes].map((o) => [o, 0])) as Record<Outcome | 'matched', number>,
);

/** Outcomes a person should look at, with what is told of them. */
export const needsAttention: readonly { readonly outcome: Outcome; readonly words: string }[] = outcomes.flatMap((o) =>
  table[o].attention === null ? [] : [{ outcome: o, words: table[o].attention }],
);
/** Outcomes whose records can be tried again as a new preview. */
export const retried = outcomes.filter((o) => table[o].retry);
/** Outcomes that make a run one with problems. */
export const troubles = outcomes.filter((o) => table[o].isTrouble);

/** Of a record that is not allowed there may be no value that came out: that is no blank that the record would get. */
export function cameToNothing(
  record: { readonly outcome: Outcome | Verdict; readonly cause: string | null },
  value: string | null,
): boolean {
  return record.outcome === 'not_allowed' && record.cause !== null && value === null;
}
