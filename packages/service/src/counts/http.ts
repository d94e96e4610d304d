import type { ComparedCounts, countRoutes, KeptCountsView } from '@tantamos/contract';
import { countedPath, fail, groupCounts, ProblemError, resolveColumn, type Selection } from '@tantamos/core';
import { Labels } from '../catalog/labels';
import { longestSearch } from '../database/patience';
import { asProblem } from '../database/problems';
import type { Handlers } from '../http/handler';
import type { Seen } from '../rights/seen';
import { mustHaveRoom } from '../storage/room';
import { placed, plainSelection } from '../selections/plain';
import type { Services } from '../services';

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
  readonly row_limits: Readonly<Record<string, string>> | null;
  readonly counts: readonly { readonly values: readonly (string | null)[]; readonly count: number }[];
}
const selectKept = `select k.*, a.name as made_by_name from tantamos.kept_counts k join tantamos.account a on a.id = k.made_by`;

export const countHandlers: Handlers<typeof countRoutes> = {
  async keptCounts({ services, seen }) {
    const rows = await services.database.rows<Row & Record<string, unknown>>(
      `${selectKept} where made_by = $1 order by made_at desc limit 200`,
      [seen.person.id],
    );
    return rows.filter((r) => isSeen(r, seen)).map(viewOf);
  },

  async keepCounts({ services, seen, body }) {
    const selection = plainSelection(body.selection.type, body.selection);
    const { counts, total } = await placed(body.selection, selection, () =>
      count(services, seen, selection, body.fields),
    );
    if (counts.length >= mostKept)
      fail('over_limit', `These fields have more than ${mostKept} different values together; too many to compare.`);
    await services.database.with((connection) => mustHaveRoom(connection, 'counts', seen.person.id));
    const row = await services.database.one<{ id: string }>(
      `insert into tantamos.kept_counts (name, made_by, type, selection, fields, total, counts, row_limits)
       values ($1, $2, $3, $4, $5, $6, $7, $8) returning id`,
      [
        body.name,
        seen.person.id,
        selection.type,
        selection,
        body.fields,
        total,
        JSON.stringify(counts),
        seen.rowLimits,
      ],
    );
    return viewOf(await kept(services, seen, row!.id));
  },

  async compareCounts({ services, seen, params }) {
    const before = await kept(services, seen, params.id!);
    const now = await count(services, seen, before.selection, before.fields);
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
  },

  async dropCounts({ services, seen, params }) {
    const { id } = await kept(services, seen, params.id!);
    await services.database.rows('delete from tantamos.kept_counts where id = $1', [id]);
  },
};

/**
 * Counts of what is withheld from the person by now are not there: of a type or field, or of records, which are counted only while
 * the person sees the same of each type.
 */
function isSeen({ type, fields, row_limits: rows }: Row, seen: Seen): boolean {
  if (Object.entries(seen.rowLimits).some(([id, limit]) => rows?.[id] !== limit)) return false;
  const found = seen.catalog.find(type);
  if (!found) return !seen.isThere(type);
  return fields.every((f) => {
    try {
      return resolveColumn(seen.catalog, found, f) !== null;
    } catch (error) {
      if (error instanceof ProblemError) return false;
      throw error;
    }
  });
}

async function kept({ database }: Services, seen: Seen, id: string): Promise<Row> {
  const row = await database.one<Row & Record<string, unknown>>(`${selectKept} where k.id = $1 and k.made_by = $2`, [
    id,
    seen.person.id,
  ]);
  return row && isSeen(row, seen) ? row : fail('not_found', 'There are no such counts.');
}

async function count(services: Services, seen: Seen, plain: Selection, fields: readonly string[]) {
  const { selection, catalog } = await services.compiler.selection(seen, plain);
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
