import type { FindBody, Found, HistoryView, LookedUp, LookupQuery, PointerView, RecordView } from '@tantamos/contract';
import {
  canonicalKey,
  countRecords,
  fail,
  findPage,
  identifier,
  hasKey,
  keyField,
  keyFields,
  ProblemError,
  raw,
  relationsOf,
  sql,
  tableOf,
  value,
  type RecordType,
  type SortBy,
} from '@tantamos/core';
import type { Person } from '../../accounts/rights';
import { lookUpNames } from '../../catalog/names';
import { asProblem } from '../../database/problems';
import { historyOf } from '../../journal/history';
import type { Services } from '../../services';
import type { Call, Handler } from '../handler';
import { Labels } from '../labels';
import { columnViews, pathsOf } from '../columns';
import { seenType } from '../seen-type';
import { gone, longestSearch } from '../patience';
import { changeView } from '../views';
import { compiled } from './exploring';

const pageSize = 50;

export const find: Handler<never, FindBody> = (call) => findRecords(call, call.query);
export const search: Handler<FindBody> = (call) => findRecords(call, call.body);

export const record: Handler = async ({ services, params, person }) => {
  const { type, key } = await typeAndKey(services, person, params);
  const found = await findRecords({ services, params, person }, { limit: 1, keys: [key] });
  const row = found.records[0] ?? fail('not_found', `${type.label}: there is no record with the key ${key}.`);
  const at = found.columns.findIndex((c) => c.name === type.nameField);
  return {
    type: type.id,
    key,
    name: row.values[at]?.value ?? null,
    fields: found.columns.map((c, i) => ({ ...c, value: row.values[i]! })),
  } satisfies RecordView;
};

export const history: Handler = async ({ services, person, params }) => {
  const { type, key } = await typeAndKey(services, person, params);
  const entries = await historyOf(services.database, type, key, 200);
  const fields = new Map(type.fields.map((f) => [f.name, f]));
  const labels = new Labels(services.database, await services.catalogs.get());
  for (const c of entries.flatMap((e) => e.changes)) {
    const field = fields.get(c.field);
    if (field) [c.old, c.new].forEach((v) => labels.want(field, v));
  }
  await labels.load();
  return entries.map((e): HistoryView => ({
    ...e,
    at: e.at.toISOString(),
    changes: e.changes.map((c) => changeView(fields.get(c.field), c, labels)),
  }));
};

export const lookup: Handler<never, LookupQuery> = async ({ services, person, params, query, res }) => {
  const type = await seenType(services, person, params.type!);
  keyFields(type);
  return (await lookUpNames(services.database, type, query.q ?? '', query.limit ?? 20, gone(res))) satisfies LookedUp[];
};

/** One statement counts what points at the record from every type and field. */
export const pointers: Handler = async ({ services, person, params, res }) => {
  const { type, key } = await typeAndKey(services, person, params);
  const catalog = await services.catalogs.get();
  const relations = relationsOf(catalog, type);
  if (relations.length === 0) return [];
  const at = sql`${value(key)}::text::${raw(keyField(type).dbType)}`;
  const counts = relations.map(
    ({ child, field }, i) =>
      sql`select ${raw(String(i))} as i, count(*) as n from ${tableOf(child)} where ${identifier(field.name)} = ${at}`,
  );
  const all = counts.reduce((one, next) => sql`${one} union all ${next}`);
  const rows = await services.database
    .askWithin<{ i: number; n: number }>(all, longestSearch, gone(res))
    .catch(asProblem);
  return rows
    .filter((r) => r.n > 0)
    .map(({ i, n }): PointerView => {
      const { child, field } = relations[i]!;
      return { type: child.id, label: child.label, field: field.name, fieldLabel: field.label, count: n };
    })
    .sort((a, b) => b.count - a.count);
};

async function typeAndKey(
  services: Services,
  person: Person,
  params: Record<string, string>,
): Promise<{ type: RecordType; key: string }> {
  const type = await seenType(services, person, params.type!);
  keyFields(type);
  try {
    return { type, key: canonicalKey(type, params.key!) };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return fail('not_found', `${type.label}: there is no record with this key.`);
  }
}

async function findRecords(
  call: Pick<Call, 'services' | 'params' | 'person'> & { res?: Call['res'] },
  asked: FindBody,
): Promise<Found> {
  const { database } = call.services;
  const { selection, catalog } = await compiled(call, asked);
  const { type } = selection;
  const columns = asked.columns?.length ? asked.columns : type.fields.filter((f) => !f.hidden).map((f) => f.name);
  const limit = asked.limit ?? pageSize;
  const page = { columns, sort: sortOf(asked.sort ?? []), limit: limit + 1, after: marked(asked.after) };
  const given = call.res && gone(call.res);
  const [rows, counted] = await Promise.all([
    limit === 0
      ? []
      : database.askWithin<Record<string, string | null>>(findPage(selection, catalog, page), longestSearch, given),
    asked.count === 'exact'
      ? database.askWithin<{ count: number }>(countRecords(selection), longestSearch, given)
      : undefined,
  ]).catch(asProblem);
  const paths = pathsOf(catalog, type, columns);
  const labels = new Labels(database, catalog);
  const shown = rows.slice(0, limit);
  for (const row of shown) paths.forEach((path, i) => labels.want(path.field, row[`c${i + 1}`] ?? null));
  await labels.load();
  const last = shown.at(-1);
  return {
    type: type.id,
    columns: columnViews(columns, paths),
    records: shown.map((row) => ({
      key: row.key ?? null,
      values: paths.map((p, i) => labels.show(p.field, row[`c${i + 1}`] ?? null)),
    })),
    next: rows.length > limit && last && hasKey(type) ? mark(last) : null,
    numberReturned: shown.length,
    numberMatched: counted ? (counted[0]?.count ?? 0) : null,
  };
}

export function sortOf(columns: readonly string[]): SortBy[] {
  return columns.map((c) => ({ column: c.replace(/^[-+]/, ''), descending: c.startsWith('-') }));
}

/** The place of a row, opaque to clients: its sort values and key. */
function mark(row: Record<string, string | null>): string {
  const places = Object.keys(row).filter((k) => /^p\d+$/.test(k));
  return Buffer.from(JSON.stringify(places.map((p) => row[p]))).toString('base64url');
}

function marked(after: string | undefined): (string | null)[] | undefined {
  if (after === undefined) return undefined;
  try {
    const places: unknown = JSON.parse(Buffer.from(after, 'base64url').toString());
    if (Array.isArray(places) && places.every((p) => p === null || typeof p === 'string'))
      return places as (string | null)[];
  } catch {
    // answered below
  }
  return fail('bad_request', 'This page mark is not one that was given out.', { where: 'after' });
}
