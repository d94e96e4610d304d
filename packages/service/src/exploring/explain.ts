import type { Explained } from '@tantamos/contract';
import {
  conditionsOf,
  conditionWords,
  countRecords,
  distinctValues,
  everyRecord,
  family,
  firstOf,
  identifier,
  neighbours,
  parse,
  pathName,
  pathText,
  print,
  quote,
  Scope,
  sql,
  stageCounts,
  tableOf,
  value,
  valueCounts,
  type Catalog,
  type Checked,
  type CheckedSelection,
  type FieldPath,
  type Sql,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { mostCompared, nearestOf } from '../catalog/nearest';
import { Labels } from '../catalog/labels';
import { longestSearch } from '../database/patience';
import { listReport } from '../lists/report';

/** How each part of a selection narrows it; with `near`, what does occur where a value does not. */
export async function explain(
  database: Database,
  catalog: Catalog,
  selection: CheckedSelection,
  sentence: (matched: number) => string,
  near: boolean,
  signal?: AbortSignal,
): Promise<Omit<Explained, 'blanks'>> {
  const ask = <R extends Record<string, unknown>>(piece: Sql): Promise<R[]> =>
    database.askWithin<R>(piece, longestSearch, signal);
  const count = async (part: Partial<CheckedSelection>): Promise<number> =>
    (await ask<{ count: number }>(countRecords({ ...selection, ...part })))[0]!.count;
  const { type, related, list, take, keys, drop, source } = selection;
  const [all, stages, afterList, afterTake, matched, report, circles] = await Promise.all([
    related ? rowsOf(ask, selection) : null,
    ask<Record<string, number>>(stageCounts(selection)),
    list ? count({ take: null, keys: null, drop: null }) : null,
    take ? count({ keys: null, drop: null }) : null,
    take || keys || drop || list ? count({}) : null,
    list ? listReport(database, list.id) : null,
    related && (related.how === 'descendants' || related.how === 'ancestors') ? circlesOf(ask, selection) : 0,
  ]);
  const counts = stages[0]!;
  const texts = textsOf(source);
  const conditions = await Promise.all(
    conditionsOf(selection).map(async (condition, i) => {
      const alone = counts[`alone_${i + 1}`]!;
      return {
        text: texts[i] ?? '',
        words: conditionWords(condition),
        after: counts[`upto_${i + 1}`]!,
        without: counts[`without_${i + 1}`]!,
        alone,
        nearest: near && alone === 0 ? await nearest(database, ask, catalog, type, condition) : [],
      };
    }),
  );
  const afterFilter = conditions.at(-1)?.after ?? counts.base!;
  const left = matched ?? afterFilter;
  return {
    all: all ?? counts.base!,
    base: counts.base!,
    conditions,
    afterFilter,
    afterList,
    afterTake,
    afterPicks: keys || drop ? left : null,
    matched: left,
    list: report,
    sentence: sentence(left),
    circles,
  };
}

type Ask = <R extends Record<string, unknown>>(piece: Sql) => Promise<R[]>;

async function rowsOf(ask: Ask, { type }: CheckedSelection): Promise<number> {
  return (await ask<{ n: number }>(sql`select count(*) as n from ${tableOf(type)} r`))[0]!.n;
}

async function circlesOf(ask: Ask, { related, type, env }: CheckedSelection): Promise<number> {
  const line = family(related!, new Scope(type, env));
  return (await ask<{ n: number }>(sql`${line} select count(distinct key) as n from line where again`))[0]!.n;
}

/** The outermost conditions as they are written. */
function textsOf(source: string | null): string[] {
  if (source === null) return [];
  const tree = parse(source);
  if (tree.kind !== 'and') return [print(tree)];
  const [apart, rest] = firstOf(tree.operands.map((p) => (p.kind === 'or' ? `(${print(p)})` : print(p))));
  return rest.length === 0 ? [...apart] : [...apart, rest.join(' AND ')];
}

/** What a condition asked for and no record has: texts that could stand in its place. */
async function nearest(
  database: Database,
  ask: Ask,
  catalog: Catalog,
  type: CheckedSelection['type'],
  condition: Checked,
): Promise<{ value: string; text: string }[]> {
  const asked = askedFor(condition);
  if (!asked) return [];
  const { at, text } = asked;
  const field = pathName([...at.through.map((step) => step.field), at.field]);
  const every = everyRecord(type);
  const { base, choices, refersTo } = at.field;
  if (choices || refersTo !== null) {
    const rows = await ask<{ v: string | null }>(valueCounts(every, at, 6));
    const labels = new Labels(database, catalog);
    rows.forEach((r) => labels.want(at.field, r.v));
    await labels.load();
    const named =
      refersTo === null
        ? new Set<string>()
        : await meantByName(
            ask,
            catalog.find(refersTo),
            rows.map(({ v }) => labels.show(at.field, v).label),
          );
    return rows.slice(0, 5).map(({ v }) => {
      const shown = labels.show(at.field, v);
      const label = shown.label ?? null;
      const meant =
        label !== null && named.has(label)
          ? quote(label)
          : v !== null && (refersTo === null || base !== 'number')
            ? quote(v)
            : v;
      const said = v === null ? `${field} IS NULL` : `${field} = ${meant}`;
      return { value: shown.label ?? v ?? 'blank', text: said };
    });
  }
  if (base === 'text') {
    const meant = await asPattern(ask, type, condition);
    if (meant !== null) return [{ value: `LIKE ${quote(meant)}`, text: `${field} LIKE ${quote(meant)}` }];
    const wanted = text.replace(/[%_]/g, '');
    const near = await nearestOf(database, distinctValues(every, pathText(at), catalog, mostCompared), [wanted]);
    return (near.get(wanted) ?? []).map((v) => ({ value: v, text: `${field} = ${quote(v)}` }));
  }
  if (base !== 'number' && base !== 'date') return [];
  const [found] = await ask<{ below: string | null; above: string | null }>(neighbours(every, at, text));
  return [found?.below, found?.above]
    .filter((v): v is string => v != null)
    .map((v) => ({ value: v, text: `${field} = ${base === 'date' ? `DATE(${quote(v)})` : v}` }));
}

/** Those of these names that only one record of the type has, so that they can stand for it. */
async function meantByName(
  ask: Ask,
  type: CheckedSelection['type'] | undefined,
  names: readonly (string | null | undefined)[],
): Promise<ReadonlySet<string>> {
  if (!type || type.nameField === null) return new Set();
  const name = sql`r.${identifier(type.nameField)}::text`;
  const rows = await ask<{ name: string }>(sql`select ${name} as name from ${tableOf(type)} r
    where ${name} = any(${value(names.filter((n) => n != null))}::text[]) group by 1 having count(*) = 1`);
  return new Set(rows.map((r) => r.name));
}

/** The pattern that a person meant who wrote `*` and `?` for any text and any character, or neither, if records fit it. */
async function asPattern(ask: Ask, type: CheckedSelection['type'], condition: Checked): Promise<string | null> {
  if (condition.kind !== 'like' || condition.pattern.kind !== 'value') return null;
  const { text } = condition.pattern;
  if (/[%_]/.test(text)) return null;
  const starred = text.replaceAll('*', '%').replaceAll('?', '_');
  const meant = starred === text ? `%${text}%` : starred;
  const asked = { ...condition, pattern: { ...condition.pattern, text: meant } };
  const [found] = await ask<{ count: number }>(countRecords({ ...everyRecord(type), condition: asked }));
  return found!.count > 0 ? meant : null;
}

/** The field and the value of conditions such as `field = value`, `field IN (value)`, `field LIKE 'value'`. */
function askedFor(condition: Checked): { at: FieldPath; text: string } | null {
  const sides =
    condition.kind === 'compare' && condition.op === '='
      ? [condition.left, condition.right]
      : condition.kind === 'in'
        ? [condition.operand, condition.list[0]!]
        : condition.kind === 'like'
          ? [condition.operand, condition.pattern]
          : [];
  const field = sides.find((s) => s.kind === 'field');
  const value = sides.find((s) => s.kind === 'value');
  return field && value ? { at: field.at, text: value.text } : null;
}
