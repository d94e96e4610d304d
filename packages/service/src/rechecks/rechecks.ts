import type { RecheckView } from '@tantamos/contract';
import { conditionOf, fail, fieldNamed, ProblemError, Scope, sql, type Catalog } from '@tantamos/core';
import { Labels } from '../catalog/labels';
import type { Database } from '../database/database';
import { longestSearch } from '../database/patience';
import { codeOf } from '../database/refusal';
import { isKnown } from '../journal/known';
import { journalRecords } from '../journal/records';
import type { Seen } from '../rights/seen';
import { mustHaveJournal, type RunRow } from '../runs/runs';
import { runView } from '../runs/view';
import type { Services } from '../services';
import { countedOf, laterRuns, nextPiece } from './questions';
import { nothing, together, type Ending, type Sums } from './sums';

/** In ms: an answer comes after about `answer`, with what has been counted by then; no question takes longer than `question`. */
const usual = { answer: 2000, question: longestSearch };
/**
 * So many records are counted by one question and, where that takes too long, those of one stretch alone: there are types whose
 * keys are found slowly.
 */
const atOnce = [25_000, 1] as const;
/** So many values of a field are told, the most frequent ones. */
const mostValues = 12;

interface RecheckRow extends Record<string, unknown> {
  readonly id: string;
  readonly finished_at: Date | null;
  readonly next: number;
  /** `pieces`: which of `atOnce` has been come to. */
  readonly sums: Sums & { readonly ending?: Ending; readonly pieces?: number };
}

/**
 * Goes on counting what has become of the records that a run changed, for as long as an answer may take, and tells what it has
 * by then. `on`: the count that is gone on with; null: a new one.
 */
export async function recheck(
  services: Services,
  r: RunRow,
  seen: Seen,
  on: string | null,
  patience = usual,
): Promise<RecheckView> {
  mustHaveJournal(r);
  const { database } = services;
  const until = performance.now() + patience.answer;
  let now = on === null ? await begun(database, r, seen) : await gotOn(database, r, seen, on);
  while (now.finished_at === null) {
    await services.accounts.acting(seen.person.id);
    now = (await wentOn(services, r, seen, now, patience.question)) ?? (await gotOn(database, r, seen, now.id));
    if (performance.now() >= until) break;
  }
  return view(services, r, seen, now);
}

async function begun(database: Database, r: RunRow, seen: Seen): Promise<RecheckRow> {
  await database.rows(`delete from tantamos.recheck where id in (
    select id from tantamos.recheck where begun_at < now() - interval '1 day' order by begun_at limit 100)`);
  const row = await database.one<RecheckRow>(
    'insert into tantamos.recheck (run, account, sums) values ($1, $2, $3) returning id, finished_at, next, sums',
    [r.id, seen.person.id, JSON.stringify(nothing)],
  );
  return row!;
}

async function gotOn(database: Database, r: RunRow, seen: Seen, id: string): Promise<RecheckRow> {
  const row = await database.one<RecheckRow>(
    'select id, finished_at, next, sums from tantamos.recheck where id = $1 and run = $2 and account = $3',
    [id, r.id, seen.person.id],
  );
  return row ?? fail('not_found', 'This count is not there any more; begin another.');
}

/** Counts one piece more, or what is asked at the end; undefined where another call has meanwhile. */
async function wentOn(
  services: Services,
  r: RunRow,
  seen: Seen,
  now: RecheckRow,
  longest: number,
): Promise<RecheckRow | undefined> {
  const { database } = services;
  // Withheld records count as gone: their state is not shown.
  const catalog = seen.reading;
  const { pieces = 0 } = now.sums;
  const piece = await nextPiece(database, r.id, now.next, atOnce[pieces]!);
  const keep = (sums: RecheckRow['sums'], next = now.next): Promise<RecheckRow | undefined> =>
    database.one<RecheckRow>(
      `update tantamos.recheck set next = $3, sums = $4, finished_at = case when $5 then clock_timestamp() end
       where id = $1 and next = $2 and finished_at is null returning id, finished_at, next, sums`,
      [now.id, now.next, next, JSON.stringify(sums), piece === undefined],
    );
  if (!piece) return keep({ ...now.sums, ending: await endingOf(services, r, seen, now.sums, catalog) });
  const asked = countedOf(database, r, piece, catalog, longest);
  // That the smallest takes too long is told.
  const counted = await (pieces < atOnce.length - 1 ? inTime(asked) : asked);
  return counted
    ? keep({ ...together(now.sums, counted), pieces }, piece.to)
    : keep({ ...now.sums, pieces: pieces + 1 });
}

async function endingOf(services: Services, r: RunRow, seen: Seen, sums: Sums, catalog: Catalog): Promise<Ending> {
  const [matchesNow, later] = await Promise.all([
    matching(services, r, seen),
    inTime(laterRuns(services.database, r, sums.since, catalog)),
  ]);
  return { matchesNow, later };
}

/** How many records the job's selection finds now; null where it cannot be asked any more. */
async function matching(services: Services, r: RunRow, seen: Seen): Promise<number | null> {
  if (r.kind === 'undo' || r.work_order.parts[0]!.ofRows) return null;
  try {
    const { selection } = await services.compiler.selection(seen, r.job.selection);
    const scope = new Scope(selection.type, selection.env);
    const rows = await inTime(
      services.database.askPlainly<{ n: number }>(
        sql`select count(*)::int as n from ${scope.from()} where ${conditionOf(selection, scope)}`,
        longestSearch,
      ),
    );
    return rows?.[0]!.n ?? null;
  } catch (error) {
    if (error instanceof ProblemError) return null;
    throw error;
  }
}

/** Null where it took too long: the sums stand without it. */
async function inTime<T>(asked: Promise<T>): Promise<T | null> {
  try {
    return await asked;
  } catch (error) {
    if (codeOf(error) !== '57014') throw error;
    return null;
  }
}

async function view(services: Services, r: RunRow, seen: Seen, now: RecheckRow): Promise<RecheckView> {
  const { totals, others, ending } = now.sums;
  const counted = totals.written + totals.changed_since + totals.put_back + totals.gone;
  const rows = others.map(({ part: index, key, present, written, now: stands }) => {
    const part = r.work_order.parts[index]!;
    return {
      type: part.type,
      key,
      fieldsOf: part.type,
      part: index,
      act: 'update' as const,
      outcome: present ? ('edited_since' as const) : ('gone' as const),
      cause: null,
      changes: part.writes.map((field, i) => ({ field, old: written[i] ?? null, new: stands[i] ?? null })),
      mark: '',
    };
  });
  return {
    id: now.id,
    at: now.finished_at?.toISOString() ?? null,
    counted,
    // While a run works on, more is changed than has been counted.
    changed: now.finished_at === null ? Math.max(r.changed, counted) : counted,
    notCounted: now.finished_at === null ? 0 : Math.max(r.changed - counted, 0),
    asWritten: totals.written,
    changedSince: totals.changed_since,
    putBack: totals.put_back,
    gone: totals.gone,
    matched: r.matched,
    matchesNow: ending?.matchesNow ?? null,
    ...(await valuesSeen(services, r, seen, now.sums)),
    laterRuns: ending?.later === null ? null : await laterSeen(services, seen, ending?.later ?? []),
    records: await journalRecords(services.database, seen.catalog, rows),
  };
}

/** The values of fields and the people, without those that are withheld from the person by now. */
async function valuesSeen(
  services: Services,
  r: RunRow,
  seen: Seen,
  sums: Sums,
): Promise<Pick<RecheckView, 'fields' | 'who'>> {
  const labels = new Labels(services.database, seen.catalog);
  const fieldOf = (part: number, name: string) => {
    const type = seen.catalog.find(r.work_order.parts[part]!.type);
    const field = type && fieldNamed(type, name);
    return field && !field.hidden ? field : null;
  };
  const fields = sums.fields.flatMap((f) => {
    const field = fieldOf(f.part, f.field);
    if (!field) return [];
    const all = [...(f.values ?? [])].sort(mostFirst);
    const values = all.slice(0, mostValues);
    values.forEach(([value]) => labels.want(field, value));
    return [{ field, asWritten: f.asWritten, values, more: f.values ? all.length - values.length : null }];
  });
  const who = sums.who && fieldOf(sums.who.part, sums.who.field);
  const people = [...(sums.who?.people ?? [])].sort((a, b) => b[1] - a[1]).slice(0, mostValues);
  if (who) people.forEach(([value]) => labels.want(who, value));
  await labels.load();
  return {
    fields: fields.map(({ field, asWritten, values, more }) => ({
      field: field.name,
      label: field.label,
      kind: field.kind,
      asWritten,
      values: values.map(([value, before, after, now]) => ({ value: labels.show(field, value), before, after, now })),
      more,
    })),
    who: who && {
      field: who.name,
      label: who.label,
      values: people.map(([value, count]) => ({ value: labels.show(who, value), count })),
    },
  };
}

type Counts = readonly [value: string | null, ...counts: number[]];
const mostFirst = ([a, ...x]: Counts, [b, ...y]: Counts): number =>
  Math.max(...y) - Math.max(...x) || (a === null ? 1 : b === null ? -1 : a < b ? -1 : 1);

async function laterSeen(
  services: Services,
  seen: Seen,
  later: NonNullable<Ending['later']>,
): Promise<NonNullable<RecheckView['laterRuns']>> {
  const told: NonNullable<RecheckView['laterRuns']>[number][] = [];
  for (const { id, n } of later) {
    const run = await services.runs.get(id);
    if (!isKnown(run, seen)) continue;
    const { sentence, startedBy } = await runView(services, run, seen);
    told.push({ run: id, by: startedBy, sentence, count: n });
  }
  return told;
}
