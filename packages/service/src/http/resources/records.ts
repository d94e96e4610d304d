import type { FindBody, Found, HistoryView, RecordView } from '@tantamos/contract';
import {
  canonical,
  countRecords,
  fail,
  findPage,
  keyOf,
  ProblemError,
  resolveColumn,
  type RecordType,
  type SortBy,
} from '@tantamos/core';
import type { Person } from '../../accounts/rights';
import { asProblem } from '../../database/problems';
import { compileSelection } from '../../engine/job-compiler';
import { historyOf } from '../../journal/history';
import type { Services } from '../../services';
import type { Call, Handler } from '../handler';
import { Labels } from '../labels';
import { seenType } from '../seen-type';
import { changeView } from '../views';

/** A search that takes longer than this is stopped and says so, in ms. */
const longestSearch = 30_000;
const pageSize = 50;

export const find: Handler<never, FindBody> = (call) => findRecords(call, call.query);
export const search: Handler<FindBody> = (call) => findRecords(call, call.body);

export const record: Handler = async ({ services, params, person }) => {
  const { type, key } = await typeAndKey(services, person, params);
  const found = await findRecords({ services, params, person }, { limit: 1 }, [key]);
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

async function typeAndKey(
  services: Services,
  person: Person,
  params: Record<string, string>,
): Promise<{ type: RecordType; key: string }> {
  const type = await seenType(services, person, params.type!);
  const field = keyOf(type);
  try {
    const key = canonical(field.base, params.key!, field.label);
    if (field.base === 'number' && !/^-?\d{1,18}$/.test(key)) fail('bad_value', 'not whole');
    return { type, key };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return fail('not_found', `${type.label}: there is no record with this key.`);
  }
}

async function findRecords(
  call: Pick<Call, 'services' | 'params' | 'person'> & { res?: Call['res'] },
  asked: FindBody,
  keys?: string[],
): Promise<Found> {
  await seenType(call.services, call.person, call.params.type!);
  const { database, catalogs } = call.services;
  const catalog = await catalogs.get();
  const selection = await compileSelection(database, catalog, { type: call.params.type!, filter: asked.filter, keys });
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
  const paths = columns.map((c) => resolveColumn(catalog, type, c));
  const labels = new Labels(database, catalog);
  const shown = rows.slice(0, limit);
  for (const row of shown) paths.forEach((path, i) => labels.want(path.field, row[`c${i + 1}`] ?? null));
  await labels.load();
  const last = shown.at(-1);
  return {
    type: type.id,
    columns: paths.map((p, i) => ({
      name: columns[i]!,
      label: [...p.through.map((s) => s.field.label), p.field.label].join(' › '),
      kind: p.field.kind,
    })),
    records: shown.map((row) => ({
      key: row.key ?? null,
      values: paths.map((p, i) => labels.show(p.field, row[`c${i + 1}`] ?? null)),
    })),
    next: rows.length > limit && last && type.key !== null ? mark(last) : null,
    numberReturned: shown.length,
    numberMatched: counted ? (counted[0]?.count ?? 0) : null,
  };
}

function sortOf(columns: readonly string[]): SortBy[] {
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

/** Fires when the person has moved on: the connection closed before the answer. */
function gone(res: Call['res']): AbortSignal {
  const controller = new AbortController();
  res.on('close', () => !res.writableEnded && controller.abort());
  return controller.signal;
}
