/** What became of the records of a run, in numbers. */
export type Totals = Record<'written' | 'changed_since' | 'gone' | 'put_back', number>;

/** A value and how many records had it before the run, after it, and have it now. */
export type Counted = readonly [value: string | null, before: number, after: number, now: number];

/** The values of a field of a part; null: too many different ones to be told one by one. */
export interface FieldSums {
  readonly part: number;
  readonly field: string;
  readonly asWritten: number;
  readonly values: readonly Counted[] | null;
}

/** Who changed records of a part last; null: too many people. */
export interface WhoSums {
  readonly part: number;
  readonly field: string;
  readonly people: readonly (readonly [value: string | null, count: number])[] | null;
}

/** A record that others changed: from what the run wrote to what stands there now. */
export interface Other {
  readonly part: number;
  readonly key: string;
  readonly present: boolean;
  readonly written: readonly (string | null)[];
  readonly now: readonly (string | null)[];
}

/** What has been counted of a run, of some of its records or of all. */
export interface Sums {
  readonly totals: Totals;
  readonly fields: readonly FieldSums[];
  readonly who: WhoSums | null;
  /** The first of them in full, and the keys of more, with which later runs are looked for. */
  readonly others: readonly Other[];
  readonly since: readonly string[];
}

/** What is asked once all records have been counted. */
export interface Ending {
  /** How many records the job's selection finds; null where it cannot be asked any more. */
  readonly matchesNow: number | null;
  /** Later runs that changed some of these records; null where they could not be found in time. */
  readonly later: readonly { readonly id: string; readonly n: number }[] | null;
}

/** So many different values of a field are told apart, and so many people; of the records that others changed these. */
export const most = { values: 2000, letters: 200_000, people: 1000, others: 100, since: 5000 };

export const nothing: Sums = {
  totals: { written: 0, changed_since: 0, gone: 0, put_back: 0 },
  fields: [],
  who: null,
  others: [],
  since: [],
};

export function together(a: Sums, b: Sums): Sums {
  const { written, changed_since, gone, put_back } = b.totals;
  return {
    totals: {
      written: a.totals.written + written,
      changed_since: a.totals.changed_since + changed_since,
      gone: a.totals.gone + gone,
      put_back: a.totals.put_back + put_back,
    },
    fields: [
      ...a.fields.map((f) => {
        const more = b.fields.find((g) => g.part === f.part && g.field === f.field);
        return more ? { ...f, asWritten: f.asWritten + more.asWritten, values: valuesOf(f, more) } : f;
      }),
      ...b.fields.filter((g) => !a.fields.some((f) => f.part === g.part && f.field === g.field)),
    ],
    who: a.who && b.who ? { ...a.who, people: peopleOf(a.who, b.who) } : (a.who ?? b.who),
    others: [...a.others, ...b.others].slice(0, most.others),
    since: [...a.since, ...b.since].slice(0, most.since),
  };
}

function valuesOf(a: FieldSums, b: FieldSums): FieldSums['values'] {
  if (!a.values || !b.values) return null;
  const all = new Map(a.values.map((v) => [v[0], v]));
  for (const [value, before, after, now] of b.values) {
    const [, x, y, z] = all.get(value) ?? [value, 0, 0, 0];
    all.set(value, [value, x + before, y + after, z + now]);
  }
  const letters = [...all.keys()].reduce((sum, v) => sum + (v?.length ?? 0), 0);
  return all.size > most.values || letters > most.letters ? null : [...all.values()];
}

function peopleOf(a: WhoSums, b: WhoSums): WhoSums['people'] {
  // The first part that tells is told of.
  if (a.part !== b.part || a.field !== b.field) return a.people;
  if (!a.people || !b.people) return null;
  const all = new Map(a.people);
  for (const [value, n] of b.people) all.set(value, (all.get(value) ?? 0) + n);
  return all.size > most.people ? null : [...all];
}
