import {
  fail,
  keyedBy,
  letterOf,
  outcomeOf,
  verdictOf,
  type Act,
  type Outcome,
  type Verdict,
  type WorkOrder,
} from '@tantamos/core';
import type { Database } from '../database/database';

/** One record of a preview or run as it was frozen, and what became of it. */
export interface JournalRow {
  /** Of the type whose key it is: that of the record made, where one was. */
  readonly type: string;
  readonly key: string;
  /** Of which type the fields are: another where one is to be made for the record. */
  readonly fieldsOf: string;
  /** Which of the order’s parts it is of, and what that does. */
  readonly part: number;
  readonly act: Act;
  /** In the journal of a preview what it says beforehand, in that of a run what became of it. */
  readonly outcome: Outcome | Verdict;
  readonly cause: string | null;
  /** In the job's order; values as the database's text. `new` is what was stored, where a trigger altered it. */
  readonly changes: readonly { readonly field: string; readonly old: string | null; readonly new: string | null }[];
  /** Its place, for the page after it. */
  readonly mark: string;
}

/** Which journal: the frozen preview, or a run of it with its outcomes. */
export type Source = { readonly preview: string } | { readonly run: string };

export interface Wanted {
  /** Null: all of them. */
  readonly outcome: Outcome | Verdict | null;
  /** Only what is so for one of these reasons, as previews count them (`tantamos.reason_of`), or in just these words. */
  readonly causes?: readonly string[] | null;
  readonly after: string | null;
}

interface StretchRow {
  readonly position: number;
  readonly part: number;
  readonly low: number;
  readonly keys: string[];
  readonly outcomes: string;
  readonly causes: (string | null)[] | null;
  /** Places of those that are so for one of the reasons asked for. */
  readonly of_cause: readonly number[] | null;
  readonly run_causes: Record<string, string> | null;
  readonly altered: Record<string, Record<string, string | null>> | null;
  readonly made: (string | null)[] | null;
  readonly values: { field: string; old: (string | null)[]; new: (string | null)[] }[];
}

/** Reads a journal in the job's order, one stretch in memory at a time. */
export async function* readJournal(
  database: Database,
  source: Source,
  order: WorkOrder,
  wanted: Wanted,
): AsyncGenerator<JournalRow> {
  const letter = wanted.outcome === null ? null : letterOf(wanted.outcome);
  const causes = wanted.causes ?? null;
  let [position, place] = parseMark(wanted.after);
  for (;;) {
    const stretch = await nextStretch(database, source, position, letter, causes);
    if (!stretch) return;
    if (stretch.position !== position) place = 0;
    const of = new Set(stretch.of_cause);
    for (let n = place + 1; n <= stretch.outcomes.length; n++) {
      if (letter !== null && stretch.outcomes[n - 1] !== letter) continue;
      if (causes === null || of.has(n)) yield rowAt(stretch, n, order, 'run' in source);
    }
    position = stretch.position + 1;
    place = 0;
  }
}

/** A page of a journal, and the mark for the next one. */
export async function journalPage(database: Database, source: Source, order: WorkOrder, wanted: Wanted, limit: number) {
  const rows: JournalRow[] = [];
  for await (const row of readJournal(database, source, order, wanted)) {
    if (rows.length === limit) return { rows, next: rows.at(-1)!.mark };
    rows.push(row);
  }
  return { rows, next: null };
}

/** The records of a run at these places of its stretches, in their order. */
export function rowsOfRun(
  database: Database,
  run: string,
  order: WorkOrder,
  places: readonly { readonly position: number; readonly n: number }[],
): Promise<JournalRow[]> {
  return rowsIn(database, { run }, order, places);
}

/** The records of a preview at these places, in their order. */
export function rowsAt(
  database: Database,
  preview: string,
  order: WorkOrder,
  places: readonly { readonly position: number; readonly n: number }[],
): Promise<JournalRow[]> {
  return rowsIn(database, { preview }, order, places);
}

async function rowsIn(
  database: Database,
  source: Source,
  order: WorkOrder,
  places: readonly { readonly position: number; readonly n: number }[],
): Promise<JournalRow[]> {
  const stretches = new Map<number, StretchRow>();
  for (const { position } of places) {
    if (stretches.has(position)) continue;
    const stretch = await nextStretch(database, source, position, null, null);
    // A preview that is dropped meanwhile has none.
    if (stretch?.position === position) stretches.set(position, stretch);
  }
  return places.flatMap(({ position, n }) => {
    const stretch = stretches.get(position);
    return stretch ? [rowAt(stretch, n, order, 'run' in source)] : [];
  });
}

function rowAt(s: StretchRow, n: number, order: WorkOrder, ofRun: boolean): JournalRow {
  const part = order.parts[s.part]!;
  const made = s.made?.[n - 1] ?? null;
  const changes = part.writes.map((field) => {
    const values = s.values.find((v) => v.field === field)!;
    const stored = s.altered?.[field];
    const written = values.new[n - 1] ?? null;
    return { field, old: values.old[n - 1] ?? null, new: stored && n in stored ? stored[n]! : written };
  });
  return {
    type: made === null ? keyedBy(part) : part.type,
    key: made ?? s.keys[n - 1]!,
    fieldsOf: part.type,
    part: s.part,
    act: part.act,
    outcome: (ofRun ? outcomeOf : verdictOf)(s.outcomes[n - 1]!),
    cause: s.run_causes?.[n] ?? s.causes?.[n - 1] ?? null,
    changes,
    mark: `${s.position}.${n}`,
  };
}

async function nextStretch(
  database: Database,
  source: Source,
  from: number,
  letter: string | null,
  causes: readonly string[] | null,
): Promise<StretchRow | undefined> {
  return 'run' in source
    ? database.one<StretchRow>(nextOfRun, [source.run, from, letter, causes])
    : database.one<StretchRow>(nextOfPreview, [source.preview, from, letter, causes]);
}

const values = `coalesce((select jsonb_agg(jsonb_build_object('field', v.field, 'old', v.old[s.low + 1:s.high], 'new', v.new[s.low + 1:s.high]))
    from tantamos.batch_value v where v.preview = s.preview and v.position = s.batch), '[]') as values`;

/** The places of a stretch that are so for one of the reasons `$4`. */
const ofCause = (causes: string): string => `(select array_agg(c.n) from (${causes}) c(cause, n)
    where $4::text[] is not null and (c.cause = any($4) or tantamos.reason_of(c.cause) = any($4))) as of_cause`;

const nextOfPreview = `
  select s.position, s.part, 0 as low, s.keys, s.outcomes, s.causes, s.of_cause, null as run_causes, null as altered, null as made, ${values}
  from (
    select preview, position, part, position as batch, 0 as low, size as high, keys, verdicts as outcomes, causes,
      ${ofCause('select cause, n::int from unnest(causes) with ordinality u(cause, n)')}
    from tantamos.batch where preview = $1 and position >= $2 and ($3::text is null or strpos(verdicts, $3) > 0)
      and ($4::text[] is null or exists (select from unnest(causes) c where c = any($4) or tantamos.reason_of(c) = any($4)))
    order by position limit 1) s`;

const nextOfRun = `
  select s.position, s.part, s.low, s.keys, s.outcomes, s.causes, s.of_cause, s.run_causes, s.altered, s.made, ${values}
  from (
    select b.preview, r.position, r.part, r.batch, r.low, r.high, r.made, b.keys[r.low + 1:r.high] as keys, r.outcomes,
      b.causes[r.low + 1:r.high] as causes, r.causes as run_causes, r.altered,
      ${ofCause(`select coalesce(r.causes ->> n::text, cause), n::int
        from unnest(b.causes[r.low + 1:r.high]) with ordinality u(cause, n)
        union all select value, key::int from jsonb_each_text(r.causes) where b.causes is null`)}
    from tantamos.run_batch r join tantamos.run on run.id = r.run
    join tantamos.batch b on b.preview = run.preview and b.position = r.batch
    where r.run = $1 and r.position >= $2 and ($3::text is null or strpos(r.outcomes, $3) > 0)
      and ($4::text[] is null or b.causes is not null or r.causes <> '{}')
    order by r.position limit 1) s`;

/** Throws `bad_request` for a text that is not a mark: before a file is begun, which could only be broken off. */
export function parseMark(mark: string | null): [number, number] {
  if (mark === null) return [0, 0];
  const parts = /^(\d{1,9})\.(\d{1,9})$/.exec(mark);
  if (!parts) fail('bad_request', 'This page mark is not one that was given out.', { where: 'after' });
  return [Number(parts[1]), Number(parts[2])];
}
