import type { ListLineView, ListPage, ListPageQuery, ListReportView } from '@tantamos/contract';
import { clip, countedWords, fail, fieldNamed, type Catalog, type CheckedSelection } from '@tantamos/core';
import { keysThere, namesOf } from '../catalog/names';
import type { Connection, Database } from '../database/database';
import { nearestNames } from './nearest';

/** Counts every line once, anew, and keeps the counts with the list. */
export async function writeReport(connection: Connection, catalog: Catalog, id: string): Promise<void> {
  const { rows } = await connection.query<Counts>(countsQuery, [id]);
  const report = reportOf(id, rows[0]!, catalog);
  await connection.query('update tantamos.list set report = $2 where id = $1', [id, JSON.stringify(report)]);
}

/** The report of a person's own list; administrators see all. */
export async function listReport(database: Database, id: string): Promise<ListReportView> {
  const row = await database.one<{ report: ListReportView }>('select report from tantamos.list where id = $1', [id]);
  return row?.report ?? fail('not_found', 'There is no such list; paste it again.', { where: 'list' });
}

/** The report that goes with a preview; throws where entries are unknown and nobody said to go on without them. */
export async function reportForPreview(
  database: Database,
  { list, type }: CheckedSelection,
): Promise<ListReportView | null> {
  if (!list) return null;
  const report = await listReport(database, list.id);
  const mine = report.byType.find((t) => t.type === type.id);
  if (!mine)
    return fail('bad_request', `The list was not matched with ${type.label.toLowerCase()}.`, { where: 'list' });
  const missing = report.different - mine.found;
  if (missing > 0 && list.unknown !== 'skip')
    fail(
      'unknown_entries',
      `${missing.toLocaleString('en-US')} of ${report.different.toLocaleString('en-US')} entries of the list fit no record of ${type.label.toLowerCase()}; look at them, or say to go on without them.`,
      { where: 'list.unknown', suggestions: ['skip'] },
    );
  return report;
}

interface Counts {
  readonly lines: number;
  readonly blank: number;
  readonly not_address: number;
  readonly repeat: number;
  readonly different: number;
  readonly found: number;
  readonly targets: readonly { readonly type: string; readonly fields: readonly string[] }[];
  readonly by_type: readonly {
    readonly type: string;
    readonly found: number;
    readonly several: number;
    readonly records: number;
  }[];
  readonly elsewhere: readonly { readonly type: string; readonly field: string; readonly count: number }[];
}

const countsQuery = `
select l.lines, l.targets, k.*,
  (select count(*) from tantamos.list_entry where list = l.id) as different,
  (select count(distinct entry) from tantamos.list_match where list = l.id) as found,
  coalesce((select jsonb_agg(t) from (
    select type, count(distinct entry) as found, count(distinct entry) filter (where several) as several,
      count(distinct key) filter (where taken) as records
    from tantamos.list_match where list = l.id group by type) t), '[]') as by_type,
  coalesce((select jsonb_agg(t order by t.count desc) from (
    select elsewhere ->> 'type' as type, elsewhere ->> 'field' as field, count(*) as count
    from tantamos.list_entry where list = l.id and elsewhere is not null group by 1, 2) t), '[]') as elsewhere
from tantamos.list l cross join lateral (
  select count(*) filter (where fate = 'blank') as blank, count(*) filter (where fate = 'not_address') as not_address,
    count(*) filter (where fate = 'repeat') as repeat
  from tantamos.list_line where list = l.id) k
where l.id = $1`;

function reportOf(id: string, c: Counts, catalog: Catalog): ListReportView {
  const byType = c.targets.map(({ type, fields }) => {
    const counts = c.by_type.find((t) => t.type === type) ?? { found: 0, several: 0, records: 0 };
    const label = catalog.find(type)?.label ?? type;
    return { type, label, fields, found: counts.found, several: counts.several, records: counts.records };
  });
  const elsewhere = c.elsewhere.map((e) => ({ ...e, label: catalog.find(e.type)?.label ?? e.type }));
  const counts = {
    lines: c.lines,
    blank: c.blank,
    notAddresses: c.not_address,
    repeats: c.repeat,
    different: c.different,
    found: c.found,
    unknown: c.different - c.found,
  };
  return { id, ...counts, sentence: sentenceOf(counts, byType), byType, elsewhere };
}

/** “300 lines = 3 blank + 48 repeats + 247 different; 247 = 221 found + 26 unknown; 221 → 229 contacts”. */
function sentenceOf(
  c: Omit<ListReportView, 'id' | 'sentence' | 'byType' | 'elsewhere'>,
  byType: ListReportView['byType'],
): string {
  const number = (n: number): string => n.toLocaleString('en-US');
  const parts = [
    c.blank > 0 ? `${number(c.blank)} blank` : null,
    c.notAddresses > 0 ? `${number(c.notAddresses)} not ${c.notAddresses === 1 ? 'an address' : 'addresses'}` : null,
    c.repeats > 0 ? `${number(c.repeats)} ${c.repeats === 1 ? 'repeat' : 'repeats'}` : null,
    `${number(c.different)} different`,
  ].filter((p) => p !== null);
  const records = byType.map((t) => `${number(t.found)} → ${countedWords(t.records, t)}`);
  return [
    `${number(c.lines)} ${c.lines === 1 ? 'line' : 'lines'} = ${parts.join(' + ')}`,
    `${number(c.different)} = ${number(c.found)} found + ${number(c.unknown)} unknown`,
    ...records,
  ].join('; ');
}

interface LineRow {
  readonly n: number;
  readonly said: string;
  readonly fate: ListLineView['fate'];
  readonly entry: number | null;
  readonly entry_said: string | null;
  readonly elsewhere: { readonly type: string; readonly field: string } | null;
  readonly matches: readonly { readonly type: string; readonly key: string; readonly taken: boolean }[];
}

const matched = 'exists (select from tantamos.list_match m where m.list = l.list and m.entry = l.entry)';
const pages: Readonly<Record<NonNullable<ListPageQuery['of']>, string>> = {
  all: 'true',
  blank: `l.fate = 'blank'`,
  not_address: `l.fate = 'not_address'`,
  repeat: `l.fate = 'repeat'`,
  different: `l.fate = 'entry'`,
  found: `l.fate = 'entry' and ${matched}`,
  unknown: `l.fate = 'entry' and not ${matched}`,
  several: `l.fate = 'entry' and exists (select from tantamos.list_match m where m.list = l.list and m.entry = l.entry and m.several)`,
  elsewhere: `l.fate = 'entry' and e.elsewhere is not null`,
};

function elsewhereSeen(found: LineRow['elsewhere'], catalog: Catalog): ListLineView['elsewhere'] {
  const type = found && catalog.find(found.type);
  if (!type || fieldNamed(type, found.field)?.hidden !== false) return null;
  return { ...found, label: type.label };
}

/** Lines by what became of them, a page; unknown ones with the nearest that there are. */
export async function listLines(
  database: Database,
  catalog: Catalog,
  id: string,
  query: ListPageQuery,
): Promise<ListPage> {
  const limit = query.limit ?? 100;
  const rows = await database.rows<LineRow & Record<string, unknown>>(
    `select l.n, l.said, l.fate, l.entry, e.said as entry_said, e.elsewhere, coalesce((
       select jsonb_agg(jsonb_build_object('type', m.type, 'key', m.key, 'taken', m.taken) order by m.type, m.key)
       from (select * from tantamos.list_match m where m.list = l.list and m.entry = l.entry order by type, key limit 50) m), '[]') as matches
     from tantamos.list_line l left join tantamos.list_entry e on e.list = l.list and e.n = l.entry
     where l.list = $1 and l.n > $2 and ${pages[query.of ?? 'all']} order by l.n limit $3`,
    [id, query.after ?? 0, limit + 1],
  );
  const shown = rows.slice(0, limit);
  const names = new Map<string, Map<string, string>>();
  const there = new Map<string, ReadonlySet<string>>();
  for (const type of new Set(shown.flatMap((r) => r.matches.map((m) => m.type)))) {
    const keys = shown.flatMap((r) => r.matches.filter((m) => m.type === type).map((m) => m.key));
    const known = catalog.find(type);
    if (!known) continue;
    names.set(type, await namesOf(database, known, keys));
    there.set(type, new Set(known.limits?.source ? await keysThere(database, known, keys) : keys));
  }
  const nearest =
    query.of === 'unknown'
      ? await nearestNames(
          database,
          catalog,
          id,
          shown.map((r) => r.entry_said ?? ''),
        )
      : new Map<string, string[]>();
  return {
    lines: shown
      .map((r): ListLineView => ({
        n: r.n,
        said: clip(r.said, 300),
        fate: r.fate,
        entry: r.entry,
        matches: r.matches
          .filter((m) => there.get(m.type)?.has(m.key))
          .map((m) => ({ ...m, name: names.get(m.type)?.get(m.key) ?? m.key })),
        nearest: nearest.get(r.entry_said ?? '') ?? [],
        elsewhere: elsewhereSeen(r.elsewhere, catalog),
      }))
      // What was found and is withheld by now is not told.
      .filter(
        (l) => (query.of !== 'found' || l.matches.length > 0) && (query.of !== 'elsewhere' || l.elsewhere !== null),
      ),
    next: rows.length > limit ? shown.at(-1)!.n : null,
  };
}
