import type { ComparedCounts, KeepCountsBody, KeptCountsView } from '@tantamos/contract';
import { countedPath, fail, groupCounts, type Selection } from '@tantamos/core';
import type { Person } from '../../accounts/rights';
import { asProblem } from '../../database/problems';
import type { Services } from '../../services';
import type { Handler } from '../handler';
import { Labels } from '../labels';
import { longestSearch } from '../patience';
import { seenSelection } from '../seen-type';
import { placed, plainSelection } from '../selection';

/** Different combinations of values that are kept. */
const mostKept = 5000;

interface Row {
  readonly id: string;
  readonly name: string;
  readonly type: string;
  readonly made_by: string;
  readonly made_by_name: string;
  readonly made_at: Date;
  readonly selection: Selection;
  readonly fields: string[];
  readonly total: number;
  readonly counts: readonly { readonly values: readonly (string | null)[]; readonly count: number }[];
}
const selectKept = `select k.*, a.name as made_by_name from tantamos.kept_counts k join tantamos.account a on a.id = k.made_by`;

export const keptCounts: Handler = async ({ services, person }) => {
  const rows = await services.database.rows<Row & Record<string, unknown>>(
    `${selectKept} where made_by = $1 order by made_at desc limit 200`,
    [person.id],
  );
  return rows.map(viewOf);
};

export const keepCounts: Handler<KeepCountsBody> = async ({ services, person, body }) => {
  const selection = plainSelection(body.selection.type, body.selection);
  await seenSelection(services, person, selection);
  const { counts, total } = await placed(body.selection, selection, () =>
    count(services, person, selection, body.fields),
  );
  if (counts.length >= mostKept)
    fail('over_limit', `These fields have more than ${mostKept} different values together; too many to compare.`);
  const row = await services.database.one<{ id: string }>(
    `insert into tantamos.kept_counts (name, made_by, type, selection, fields, total, counts)
     values ($1, $2, $3, $4, $5, $6, $7) returning id`,
    [body.name, person.id, selection.type, selection, body.fields, total, JSON.stringify(counts)],
  );
  return viewOf(await kept(services, person, row!.id));
};

export const compareCounts: Handler = async ({ services, person, params }) => {
  const before = await kept(services, person, params.id!);
  await seenSelection(services, person, before.selection);
  const now = await count(services, person, before.selection, before.fields);
  const all = new Map<string, { values: readonly (string | null)[]; before: number; now: number }>();
  for (const { values, count: n } of before.counts) all.set(JSON.stringify(values), { values, before: n, now: 0 });
  for (const { values, count: n } of now.counts) {
    const known = all.get(JSON.stringify(values)) ?? { values, before: 0, now: 0 };
    all.set(JSON.stringify(values), { ...known, now: n });
  }
  const labels = new Labels(services.database, now.catalog);
  for (const row of all.values()) row.values.forEach((v, i) => labels.want(now.paths[i]!.field, v));
  await labels.load();
  return {
    ...viewOf(before),
    totalNow: now.total,
    rows: [...all.values()].map((r) => ({
      values: r.values.map((v, i) => labels.show(now.paths[i]!.field, v)),
      before: r.before,
      now: r.now,
    })),
  } satisfies ComparedCounts;
};

export const dropCounts: Handler = async ({ services, person, params }) => {
  const { id } = await kept(services, person, params.id!);
  await services.database.rows('delete from tantamos.kept_counts where id = $1', [id]);
};

async function kept({ database }: Services, person: Person, id: string): Promise<Row> {
  const row = await database.one<Row & Record<string, unknown>>(`${selectKept} where k.id = $1 and k.made_by = $2`, [
    id,
    person.id,
  ]);
  return row ?? fail('not_found', 'There are no such counts.');
}

async function count(services: Services, person: Person, plain: Selection, fields: readonly string[]) {
  const { selection, catalog } = await services.compiler.selection(person, plain);
  const paths = fields.map((f) => countedPath(selection, catalog, f));
  const rows = await services.database
    .askWithin<Record<string, string | null> & { n: number; total: number }>(
      groupCounts(selection, paths, mostKept),
      longestSearch,
    )
    .catch(asProblem);
  const counts = rows.map((r) => ({ values: paths.map((_, i) => r[`v${i + 1}`] as string | null), count: r.n }));
  return { catalog, paths, counts, total: rows[0]?.total ?? 0 };
}

function viewOf(r: Row): KeptCountsView {
  const { id, name, type, fields, total } = r;
  return { id, name, type, fields, total, madeBy: r.made_by_name, madeAt: r.made_at.toISOString() };
}
