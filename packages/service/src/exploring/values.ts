import type { Crossed, FieldValues, ValuesBody } from '@tantamos/contract';
import {
  countedPath,
  extent,
  groupCounts,
  histogram,
  ofBase,
  valueCounts,
  type Catalog,
  type CheckedSelection,
  type FieldPath,
  type Sql,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { pathLabel } from '../catalog/columns';
import { Labels } from '../catalog/labels';
import { longestSearch } from '../database/patience';

const usualMost = 100;
/** Pairs of values that a crossed table is made from, the most frequent ones. */
const mostPairs = 20_000;
/** Rows and columns of a crossed table; what is beyond is counted together. */
const mostCrossed = { rows: 40, columns: 20 };

/** The values of each field, worked out side by side. */
export async function fieldValues(
  database: Database,
  catalog: Catalog,
  selection: CheckedSelection,
  asked: Pick<ValuesBody, 'fields' | 'search' | 'most' | 'ranges'>,
  signal?: AbortSignal,
): Promise<FieldValues[]> {
  const ask = <R extends Record<string, unknown>>(piece: Sql): Promise<R[]> =>
    database.askWithin<R>(piece, longestSearch, signal);
  const paths = asked.fields.map((f) => countedPath(selection, catalog, f));
  const counted = await Promise.all(
    paths.map(async (path) => {
      const [rows, ranges] = await Promise.all([
        ask<{ v: string | null; n: number; kinds: number; total: number }>(
          valueCounts(selection, path, asked.most ?? usualMost, asked.search?.trim() || undefined),
        ),
        asked.ranges && canRange(path) ? rangesOf(ask, selection, path) : null,
      ]);
      return { rows, ranges };
    }),
  );
  const labels = new Labels(database, catalog);
  counted.forEach(({ rows }, i) => rows.forEach((r) => labels.want(paths[i]!.field, r.v)));
  await labels.load();
  return counted.map(({ rows, ranges }, i): FieldValues => {
    const path = paths[i]!;
    return {
      field: asked.fields[i]!,
      label: pathLabel(path),
      kind: path.field.kind,
      total: rows[0]?.total ?? 0,
      kinds: rows[0]?.kinds ?? 0,
      values: rows.map((r) => ({ ...labels.show(path.field, r.v), count: r.n })),
      ranges,
    };
  });
}

export async function crossed(
  database: Database,
  catalog: Catalog,
  selection: CheckedSelection,
  asked: { rows: string; columns: string },
  signal?: AbortSignal,
): Promise<Crossed> {
  const [a, b] = [countedPath(selection, catalog, asked.rows), countedPath(selection, catalog, asked.columns)];
  const cells = await database.askWithin<{ v1: string | null; v2: string | null; n: number; total: number }>(
    groupCounts(selection, [a, b], mostPairs),
    longestSearch,
    signal,
  );
  const rows = mostFrequent(
    cells.map((c) => [c.v1, c.n]),
    mostCrossed.rows,
  );
  const columns = mostFrequent(
    cells.map((c) => [c.v2, c.n]),
    mostCrossed.columns,
  );
  const labels = new Labels(database, catalog);
  rows.forEach((v) => labels.want(a.field, v));
  columns.forEach((v) => labels.want(b.field, v));
  await labels.load();
  const byPair = new Map(cells.map((c) => [JSON.stringify([c.v1, c.v2]), c.n]));
  const counts = rows.map((row) => columns.map((column) => byPair.get(JSON.stringify([row, column])) ?? 0));
  const total = cells[0]?.total ?? 0;
  return {
    rows: { field: asked.rows, label: pathLabel(a), values: rows.map((v) => labels.show(a.field, v)) },
    columns: { field: asked.columns, label: pathLabel(b), values: columns.map((v) => labels.show(b.field, v)) },
    counts,
    total,
    beyond: total - counts.flat().reduce((sum, n) => sum + n, 0),
  };
}

function mostFrequent(pairs: readonly (readonly [string | null, number])[], most: number): (string | null)[] {
  const sums = new Map<string | null, number>();
  for (const [v, n] of pairs) sums.set(v, (sums.get(v) ?? 0) + n);
  return [...sums]
    .sort((x, y) => y[1] - x[1])
    .slice(0, most)
    .map(([v]) => v);
}

function canRange({ field }: FieldPath): boolean {
  return ofBase(field.base).hasRanges && field.refersTo === null && !field.choices;
}

type Ask = <R extends Record<string, unknown>>(piece: Sql) => Promise<R[]>;

async function rangesOf(ask: Ask, selection: CheckedSelection, path: FieldPath): Promise<FieldValues['ranges']> {
  const [ends] = await ask<{ low: string | null; high: string | null; blank: number }>(extent(selection, path));
  if (!ends || ends.low === null || ends.high === null)
    return { low: null, high: null, blank: ends?.blank ?? 0, steps: [] };
  const { low, high, blank } = ends;
  const step = path.field.base === 'number' ? stepOfNumbers(low, high, path.field.scale === 0) : stepOfTime(low, high);
  if (!step) return { low, high, blank, steps: [] };
  const rows = await ask<{ v: string; n: number }>(histogram(selection, path, step));
  const steps = rows.map(({ v, n }) => ({ from: v, to: endOf(v, step), count: n }));
  return { low, high, blank, steps };
}

type Step = { readonly by: string } | { readonly unit: 'day' | 'week' | 'month' | 'year' };

/** A step of 1, 2 or 5 times a power of ten that makes about twenty of them. */
function stepOfNumbers(low: string, high: string, whole: boolean): Step | null {
  const width = Number(high) - Number(low);
  if (!Number.isFinite(width)) return null;
  if (width === 0) return { by: '1' };
  const rough = width / 20;
  const power = 10 ** Math.floor(Math.log10(rough));
  const nice = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough)!;
  const by = whole ? Math.max(1, Math.round(nice)) : nice;
  return { by: Number(by.toPrecision(3)).toFixed(Math.max(0, -Math.floor(Math.log10(by)))) };
}

function stepOfTime(low: string, high: string): Step | null {
  const days = (Date.parse(high.slice(0, 10)) - Date.parse(low.slice(0, 10))) / 86_400_000;
  if (!Number.isFinite(days)) return null;
  return { unit: days <= 31 ? 'day' : days <= 200 ? 'week' : days <= 1500 ? 'month' : 'year' };
}

/** Where the next step begins. */
function endOf(from: string, step: Step): string {
  if ('by' in step) {
    const decimals = Math.max(step.by.split('.')[1]?.length ?? 0, from.split('.')[1]?.length ?? 0);
    return (Number(from) + Number(step.by)).toFixed(decimals);
  }
  const day = new Date(`${from}T00:00:00Z`);
  if (step.unit === 'day') day.setUTCDate(day.getUTCDate() + 1);
  if (step.unit === 'week') day.setUTCDate(day.getUTCDate() + 7);
  if (step.unit === 'month') day.setUTCMonth(day.getUTCMonth() + 1);
  if (step.unit === 'year') day.setUTCFullYear(day.getUTCFullYear() + 1);
  return day.toISOString().slice(0, 10);
}
