import type { Act, Along } from '../order/order';
import {
  outcomes,
  outcomeWords,
  verdicts,
  type Outcome,
  type Totals,
  type Verdict,
  type VerdictTotals,
} from './outcome';

/** What is done to the records of a part. Their outcome is one, `changed`; it is counted and shown by these words. */
export const doneActs = ['changed', 'created', 'deleted', 'restored'] as const;
export type DoneAct = (typeof doneActs)[number];

const will: Record<DoneAct, string> = {
  changed: 'will change',
  created: 'will be created',
  deleted: 'will be deleted',
  restored: 'will be restored',
};
const verbs: Record<DoneAct, string> = { changed: 'Change', created: 'Create', deleted: 'Delete', restored: 'Restore' };

/** What a part of an order does to its records; an undo restores values and deleted records, and deletes created ones. */
export function doneAct(kind: 'edit' | 'undo', act: Act): DoneAct {
  if (act === 'delete') return 'deleted';
  if (kind === 'undo') return 'restored';
  return act === 'create' ? 'created' : 'changed';
}

/** A part of a run or preview, as far as it is counted here. */
export interface CountedPart<T> {
  readonly done: DoneAct;
  readonly label: string;
  readonly totals: T;
}

/** How many records each act is done to, in the order of the parts; acts with none are left out. */
export function countsByAct<T>(
  parts: readonly CountedPart<T>[],
  countOf: (totals: T) => number,
): readonly { readonly done: DoneAct; readonly count: number }[] {
  const counts = new Map<DoneAct, number>();
  for (const { done, totals } of parts) counts.set(done, (counts.get(done) ?? 0) + countOf(totals));
  return [...counts].map(([done, count]) => ({ done, count })).filter(({ count }) => count > 0);
}

/** One addend of an equation: `of` is the outcome or verdict that it is part of. */
export interface Addend {
  readonly of: Outcome | Verdict;
  readonly count: number;
  readonly words: string;
}

/** What the matched records of a run come to, with what was done to them by act; outcomes with none are left out. */
export function runAddends(totals: Totals, parts: readonly CountedPart<Totals>[]): readonly Addend[] {
  return addends(outcomes, totals, 'changed', (done) => done, parts);
}

/** The same of a preview. */
export function previewAddends(totals: VerdictTotals, parts: readonly CountedPart<VerdictTotals>[]): readonly Addend[] {
  return addends(verdicts, totals, 'will_change', (done) => will[done], parts);
}

function addends<K extends Outcome | Verdict, T extends { readonly [k in K]: number }>(
  names: readonly K[],
  totals: T,
  split: K,
  words: (done: DoneAct) => string,
  parts: readonly CountedPart<T>[],
): readonly Addend[] {
  return names.flatMap((of): Addend[] => {
    if (of !== split) return totals[of] > 0 ? [{ of, count: totals[of], words: outcomeWords(of) }] : [];
    return countsByAct(parts, (t) => t[split]).map(({ done, count }) => ({ of, count, words: words(done) }));
  });
}

/** What the tab of `changed` or `will_change` is called: “deleted”, “changed, created”; undefined for others. */
export function tabWords(of: Outcome | Verdict, parts: readonly { readonly done: DoneAct }[]): string | undefined {
  const acts = [...new Set(parts.map((p) => p.done))];
  if (of === 'changed') return acts.join(', ');
  return of === 'will_change' ? acts.map((done) => will[done]).join(', ') : undefined;
}

/** “240 matched = 5 deleted + 235 not yet” */
export function equation(totals: Totals, parts: readonly CountedPart<Totals>[]): string {
  return equationOf(totals.matched, runAddends(totals, parts));
}

/** “240 matched = 231 will change + 9 not allowed” */
export function verdictEquation(totals: VerdictTotals, parts: readonly CountedPart<VerdictTotals>[]): string {
  return equationOf(totals.matched, previewAddends(totals, parts));
}

function equationOf(matched: number, all: readonly Addend[]): string {
  const sum = all.map(({ count, words }) => `${digits(count)} ${words}`).join(' + ');
  return `${digits(matched)} matched = ${sum || '0'}`;
}

/** “34 deleted”, “60 changed, 40 created”: for lists; where nothing was done, what was to be. */
export function doneShort(parts: readonly CountedPart<Totals>[], shown: Digits = digits): string {
  const counts = countsByAct(parts, (t) => t.changed);
  if (counts.length > 0) return counts.map(({ done, count }) => `${shown(count)} ${done}`).join(', ');
  return `0 ${parts[0]?.done ?? 'changed'}`;
}

/** “34 records deleted”; of several types “Growers: 100 changed; Tasks: 12 created”. */
export function doneWords(parts: readonly CountedPart<Totals>[], shown: Digits = digits): string {
  const labels = [...new Set(parts.map((p) => p.label))];
  if (labels.length < 2) {
    const [first, ...more] = countsByAct(parts, (t) => t.changed);
    const { done, count } = first ?? { done: parts[0]?.done ?? 'changed', count: 0 };
    const rest = more.map((m) => `, ${shown(m.count)} ${m.done}`).join('');
    return `${shown(count)} ${count === 1 ? 'record' : 'records'} ${done}${rest}`;
  }
  return labels
    .map(
      (label) =>
        `${label}: ${doneShort(
          parts.filter((p) => p.label === label),
          shown,
        )}`,
    )
    .join('; ');
}

/** “Delete 34 records”; of several acts “Change 60 and create 40 records”: the label of what starts a run. */
export function startWords(parts: readonly CountedPart<VerdictTotals>[], shown: Digits = digits): string {
  const counts = countsByAct(parts, (t) => t.will_change);
  const all = counts.map(
    ({ done, count }, i) => `${i === 0 ? verbs[done] : verbs[done].toLowerCase()} ${shown(count)}`,
  );
  const total = counts.reduce((n, c) => n + c.count, 0);
  return `${all.join(' and ') || 'Change 0'} ${total === 1 ? 'record' : 'records'}`;
}

/** “34 records will be deleted” */
export function willWords(parts: readonly CountedPart<VerdictTotals>[], shown: Digits = digits): string {
  const counts = countsByAct(parts, (t) => t.will_change);
  const [first = { done: 'changed' as const, count: 0 }, ...more] = counts;
  const head = `${shown(first.count)} ${first.count === 1 ? 'record' : 'records'} ${will[first.done]}`;
  return [head, ...more.map(({ done, count }) => `${shown(count)} ${will[done]}`)].join(', ');
}

type Digits = (n: number) => string;
const digits: Digits = (n) => n.toLocaleString('en-US');

const along = {
  create: { of: null, done: 'created', will: 'will be created' },
  delete: { of: null, done: 'deleted', will: 'will be deleted' },
  blank: { of: 'reference', done: 'cleared', will: 'will be cleared' },
  restore: { of: 'reference', done: 'restored', will: 'will be restored' },
  default: { of: 'reference', done: 'set to the default', will: 'will be set to the default' },
  follow: { of: 'reference', done: 'updated', will: 'will be updated' },
} as const satisfies Record<Along['act'], { of: string | null; done: string; will: string }>;

/** “Remarks: 40 created”, “Invoices: 12 references cleared”: what is done together with the records, counted apart from them. */
export function alongWords(
  { label, act, count }: { readonly label: string; readonly act: Along['act']; readonly count: number },
  isDone: boolean,
  shown: Digits = digits,
): string {
  const { of, done, will: toBe } = along[act];
  const what = of === null ? '' : ` ${of}${count === 1 ? '' : 's'}`;
  return `${label}: ${shown(count)}${what} ${isDone ? done : toBe}`;
}
