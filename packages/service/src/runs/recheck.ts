import type { RecheckView } from '@tantamos/contract';
import {
  asText,
  conditionOf,
  envOf,
  fieldNamed,
  join,
  keyIs,
  ProblemError,
  raw,
  Scope,
  sql,
  thawReads,
  typeNow,
  value,
  type Catalog,
  type Field,
  type OrderPart,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { Labels } from '../catalog/labels';
import { longestSearch } from '../database/patience';
import { codeOf } from '../database/refusal';
import { inverse } from '../engine/inverse';
import { letter } from '../engine/statements/rows';
import { doneRows, undoRows, writtenOf } from '../engine/statements/undo';
import { isKnown } from '../journal/known';
import type { JournalRow } from '../journal/journal';
import { journalRecords } from '../journal/records';
import type { Seen } from '../rights/seen';
import type { Services } from '../services';
import { mustHaveJournal, type RunRow } from './runs';
import { runView } from './view';

const mostValues = 12;
const mostRecords = 100;
/** Keys of records that others changed, which are looked for in later runs. */
const mostLooked = 5000;
/** The fields that tell who changed a record last, as databases call them. */
const tellsWho = /^(updated|changed|modified|edited)_by(_id)?$/;

type Totals = Record<'written' | 'changed_since' | 'gone' | 'put_back', number>;

/** What has become of the records that a run changed, counted anew: nothing of it is kept. */
export async function recheck(services: Services, r: RunRow, seen: Seen): Promise<RecheckView> {
  mustHaveJournal(r);
  const { database } = services;
  const catalog = await services.catalogs.get();
  const totals: Totals = { written: 0, changed_since: 0, gone: 0, put_back: 0 };
  const fields: RecheckView['fields'][number][] = [];
  const rows: JournalRow[] = [];
  let who: RecheckView['who'] = null;
  const since = new Set<string>();
  const back = inverse(r.work_order, catalog).parts;
  for (const [index, part] of r.work_order.parts.entries()) {
    const type = typeNow(catalog, part.type);
    if (part.act !== 'update') {
      const taking = back[back.length - 1 - index]!;
      for (const row of await database.askPlainly<{ name: keyof Totals; n: number }>(
        wholeTotals(r, index, type, taking, catalog),
        longestSearch,
      ))
        totals[row.name] += row.n;
      continue;
    }
    const compared = comparedRows(r, index, part, type);
    const [row] = await database.askPlainly<Totals & Record<string, unknown>>(
      sql`select count(*) filter (where w.as_written)::int as written,
          count(*) filter (where w.present and not w.as_written and not w.put_back)::int as changed_since,
          count(*) filter (where not w.present)::int as gone,
          count(*) filter (where w.present and not w.as_written and w.put_back)::int as put_back
        from (${compared}) w`,
      longestSearch,
    );
    for (const name of Object.keys(totals) as (keyof Totals)[]) totals[name] += row![name];
    const seenType = seen.catalog.find(part.type);
    const shown = part.writes.flatMap((name, i): Shown[] => {
      const field = seenType && fieldNamed(seenType, name);
      return field && !field.hidden ? [{ field, i }] : [];
    });
    fields.push(...(await valuesOf(services, seen, compared, shown)));
    if (row!.changed_since + row!.gone === 0) continue;
    for (const other of await database.askPlainly<Other>(othersOf(compared, part), longestSearch)) {
      if (rows.length < mostRecords) rows.push(journalRow(other, part, index));
      if (other.present) since.add(other.key);
    }
    who ??= seenType ? await whoOf(services, seen, seenType, compared) : null;
  }
  return {
    at: new Date().toISOString(),
    changed: r.changed,
    asWritten: totals.written,
    changedSince: totals.changed_since,
    putBack: totals.put_back,
    gone: totals.gone,
    matched: r.matched,
    matchesNow: await matchesNow(services, r, seen),
    fields,
    who,
    laterRuns: since.size === 0 ? [] : await laterRuns(services, r, seen, [...since]),
    records: await journalRecords(database, seen.catalog, rows),
  };
}

/** The records that a part changed, with what they were, what was written and what they are: `old_1`, `written_1`, `now_1` … */
function comparedRows(r: RunRow, index: number, { writes }: OrderPart, type: RecordType): Sql {
  const scope = new Scope(type, envOf(r.work_order));
  const columns = writes.map((name, i) => {
    const [old, written, now] = [raw(`c.old_${i + 1}`), writtenOf(name, i), asText(scope.own(name))];
    return sql`${old} as ${raw(`old_${i + 1}`)}, ${written} as ${raw(`written_${i + 1}`)}, ${now} as ${raw(`now_${i + 1}`)}`;
  });
  const every = (a: string, b: string): Sql =>
    raw(writes.map((_, i) => `x.${a}_${i + 1} is not distinct from x.${b}_${i + 1}`).join(' and ') || 'true');
  const whole = { from: 0, to: 2_147_483_647 };
  return sql`select x.*, x.present and ${every('now', 'written')} as as_written, x.present and ${every('now', 'old')} as put_back
    from (
      select c.key, ${scope.keys()[0]!} is not null as present, ${join(columns, ', ')}
      from (${doneRows(r.id, index, writes, whole, raw(''))}) c
      left join ${scope.from()} on ${keyIs(type, scope.root, raw('c.key'))}) x`;
}

/** The same counts of what was made or deleted, by what taking it back would find. */
function wholeTotals(r: RunRow, index: number, type: RecordType, back: OrderPart, catalog: Catalog): Sql {
  const undoing = {
    run: r.id,
    part: index,
    type,
    back,
    reads: thawReads(back, catalog),
    env: envOf(r.work_order),
    taken: { of: null, overwrite: false },
  };
  const rows = undoRows(undoing, { from: 0, to: 2_147_483_647 }, 1);
  return sql`select case w.verdict when ${letter('edited_since')} then 'changed_since' when ${letter('gone')} then 'gone'
      when ${letter('not_allowed')} then 'put_back' else 'written' end as name, count(*)::int as n
    from (${rows}) w group by 1`;
}

interface Shown {
  readonly field: Field;
  readonly i: number;
}

/** How many had each value before the run, after it, and have it now; the most frequent ones. */
async function valuesOf(
  services: Services,
  seen: Seen,
  compared: Sql,
  shown: readonly Shown[],
): Promise<RecheckView['fields']> {
  const labels = new Labels(services.database, seen.catalog);
  const found: {
    field: Field;
    rows: { value: string | null; before: number; after: number; now: number }[];
    more: number;
  }[] = [];
  for (const { field, i } of shown) {
    const counted = sql`
      select v.value, count(*) filter (where v.at = 'old')::int as before, count(*) filter (where v.at = 'written')::int as after,
        count(*) filter (where v.at = 'now')::int as now, count(*) over ()::int as different
      from (${compared}) w
      cross join lateral (values ('old', ${raw(`w.old_${i + 1}`)}), ('written', ${raw(`w.written_${i + 1}`)}),
        ('now', ${raw(`w.now_${i + 1}`)})) v(at, value)
      where v.at <> 'now' or w.present
      group by v.value order by greatest(count(*) filter (where v.at = 'written'), count(*) filter (where v.at = 'now'),
        count(*) filter (where v.at = 'old')) desc, 1 limit ${value(mostValues)}`;
    try {
      const rows = await services.database.askPlainly<{
        value: string | null;
        before: number;
        after: number;
        now: number;
        different: number;
      }>(counted, longestSearch);
      rows.forEach((row) => labels.want(field, row.value));
      found.push({ field, rows, more: Math.max(0, (rows[0]?.different ?? 0) - rows.length) });
    } catch (error) {
      // Too many to be told one by one in time: the sums stand without them.
      if (codeOf(error) !== '57014') throw error;
    }
  }
  await labels.load();
  return found.map(({ field, rows, more }) => ({
    field: field.name,
    label: field.label,
    kind: field.kind,
    values: rows.map(({ value: v, before, after, now }) => ({ value: labels.show(field, v), before, after, now })),
    more,
  }));
}

interface Other {
  readonly key: string;
  readonly present: boolean;
  readonly written: readonly (string | null)[];
  readonly now: readonly (string | null)[];
}

function othersOf(compared: Sql, { writes }: OrderPart): Sql {
  const all = (of: string): Sql => raw(`array[${writes.map((_, i) => `w.${of}_${i + 1}`).join(', ')}]::text[]`);
  return sql`select w.key, w.present, ${all('written')} as written, ${all('now')} as now from (${compared}) w
    where not w.as_written and not w.put_back limit ${value(mostLooked)}`;
}

/** As a row of a journal: from what was written to what stands there now. */
function journalRow({ key, present, written, now }: Other, part: OrderPart, index: number): JournalRow {
  return {
    type: part.type,
    key,
    fieldsOf: part.type,
    part: index,
    act: 'update',
    outcome: present ? 'edited_since' : 'gone',
    cause: null,
    changes: part.writes.map((field, i) => ({ field, old: written[i] ?? null, new: now[i] ?? null })),
    mark: '',
  };
}

/** Who changed them last, where a field of the type tells. */
async function whoOf(services: Services, seen: Seen, type: RecordType, compared: Sql): Promise<RecheckView['who']> {
  const field = type.fields.find((f) => tellsWho.test(f.name) && !f.hidden);
  if (!field) return null;
  const scope = new Scope(type, { timeZone: 'UTC', now: 0n });
  const rows = await services.database.askPlainly<{ value: string | null; n: number }>(
    sql`select ${asText(scope.own(field.name))} as value, count(*)::int as n
      from (${compared}) w join ${scope.from()} on ${keyIs(type, scope.root, raw('w.key'))}
      where w.present and not w.as_written and not w.put_back group by 1 order by 2 desc limit ${value(mostValues)}`,
    longestSearch,
  );
  const labels = new Labels(services.database, seen.catalog);
  rows.forEach((row) => labels.want(field, row.value));
  await labels.load();
  return {
    field: field.name,
    label: field.label,
    values: rows.map((row) => ({ value: labels.show(field, row.value), count: row.n })),
  };
}

/** How many records of the type the job's selection finds now; null where it cannot be asked any more. */
async function matchesNow(services: Services, r: RunRow, seen: Seen): Promise<number | null> {
  if (r.kind === 'undo' || r.work_order.parts[0]!.ofRows) return null;
  try {
    const { selection } = await services.compiler.selection(seen, r.job.selection);
    const scope = new Scope(selection.type, selection.env);
    const [row] = await services.database.askPlainly<{ n: number }>(
      sql`select count(*)::int as n from ${scope.from()} where ${conditionOf(selection, scope)}`,
      longestSearch,
    );
    return row!.n;
  } catch (error) {
    if (error instanceof ProblemError) return null;
    throw error;
  }
}

/** Later runs that changed some of these records. */
async function laterRuns(
  services: Services,
  r: RunRow,
  seen: Seen,
  keys: readonly string[],
): Promise<RecheckView['laterRuns']> {
  const rows = await services.database.askPlainly<{ id: string; n: number }>(
    sql`select u.id, count(*)::int as n from tantamos.run u
      join tantamos.run_batch s on s.run = u.id and s.type = ${value(r.type)} and s.changed > 0
      join tantamos.batch b on b.preview = u.preview and b.position = s.batch
      cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null)) k(key, outcome)
      where u.started_at > ${value(r.started_at)}::timestamptz and u.id <> ${value(r.id)}::uuid
        and k.outcome = ${letter('changed')} and k.key = any(${value(keys)}::text[])
      group by u.id order by 2 desc limit 20`,
    longestSearch,
  );
  const told: RecheckView['laterRuns'][number][] = [];
  for (const { id, n } of rows) {
    const run = await services.runs.get(id);
    if (!isKnown(run, seen)) continue;
    const { sentence, startedBy } = await runView(services, run, seen);
    told.push({ run: id, by: startedBy, sentence, count: n });
  }
  return told;
}
