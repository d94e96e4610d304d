import type { FindBody, Found, HistoryView, PointerView, recordRoutes, RecordView } from '@tantamos/contract';
import {
  canonicalKey,
  countRecords,
  fail,
  findPage,
  hasKey,
  identifier,
  keyField,
  keyFields,
  ProblemError,
  raw,
  relationsOf,
  sortOf,
  sql,
  tableOf,
  value,
  type RecordType,
} from '@tantamos/core';
import { pathLabel, pathsOf } from '../catalog/columns';
import { Labels } from '../catalog/labels';
import { keysThere, lookUpNames } from '../catalog/names';
import { longestSearch } from '../database/patience';
import { asProblem, isBadValue } from '../database/problems';
import { blanksLeftOut } from '../exploring/blanks';
import { compiled } from '../exploring/http';
import { gone } from '../http/gone';
import type { Call, Handlers } from '../http/handler';
import { toldOf, wordsAsSeen } from '../journal/gate';
import { isKnown } from '../journal/known';
import { historyOf } from '../journal/history';
import { changeViews, fieldOf } from '../journal/records';

const pageSize = 50;

export const recordHandlers: Handlers<typeof recordRoutes> = {
  async find(call) {
    return findRecords(call, call.query);
  },

  async search(call) {
    return findRecords(call, call.body);
  },

  async record(call) {
    const { type, key } = typeAndKey(call);
    const found = await findRecords(call, { limit: 1, keys: [key] });
    const row = found.records[0] ?? noSuch(type, key);
    const at = found.columns.findIndex((c) => c.name === type.nameField);
    return {
      type: type.id,
      key,
      name: row.values[at]?.value ?? null,
      fields: found.columns.map((c, i) => ({ ...c, value: row.values[i]! })),
    } satisfies RecordView;
  },

  async history(call) {
    const { services, seen } = call;
    const { type, key } = typeAndKey(call);
    // A record that is there, and not for this person, has no history for them either; one that is gone has.
    if (type.limits?.source && (await keysThere(services.database, type, [key])).length === 0) noSuch(type, key);
    const entries = (await historyOf(services.database, type, key, 200)).filter((e) => isKnown(e, seen));
    const labels = new Labels(services.database, seen.catalog);
    for (const c of entries.flatMap((e) => e.changes)) {
      const field = fieldOf(seen.catalog, type.id, c.field);
      if (field) [c.old, c.new].forEach((v) => labels.want(field, v));
    }
    await labels.load();
    return Promise.all(
      entries.map(async ({ run, kind, at, by, why, outcome, cause, changes, ...of }): Promise<HistoryView> => {
        const told = await toldOf({ ...of, type: type.id }, seen, services);
        return {
          run,
          kind,
          at: at.toISOString(),
          by,
          why,
          sentence: told.sentence,
          outcome,
          cause: wordsAsSeen(cause, type),
          changes: changeViews(seen.catalog, type.id, changes, labels),
        };
      }),
    );
  },

  async lookup({ services, seen, params, query, res }) {
    const type = seen.catalog.type(params.type!);
    keyFields(type);
    return lookUpNames(services.database, type, query.q ?? '', query.limit ?? 20, gone(res));
  },

  /** One statement counts what points at the record from every type and field. */
  async pointers(call) {
    const { services, seen, res } = call;
    const { type, key } = typeAndKey(call);
    if ((await keysThere(services.database, type, [key])).length === 0) noSuch(type, key);
    const relations = type.key.length === 1 ? relationsOf(seen.catalog, type) : [];
    if (relations.length === 0) return [];
    const at = sql`${value(key)}::${raw(keyField(type).dbType)}`;
    const counts = relations.map(
      ({ child, field }, i) =>
        sql`select ${raw(String(i))} as i, count(*) as n from ${tableOf(child)} r where r.${identifier(field.name)} = ${at}`,
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
  },
};

function noSuch(type: RecordType, key: string): never {
  return fail('not_found', `${type.label}: there is no record with the key ${key}.`);
}

function typeAndKey({ seen, params }: Pick<Call, 'seen' | 'params'>): { type: RecordType; key: string } {
  const type = seen.catalog.type(params.type!);
  keyFields(type);
  try {
    return { type, key: canonicalKey(type, params.key!) };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return fail('not_found', `${type.label}: there is no record with this key.`);
  }
}

async function findRecords(call: Call, asked: FindBody): Promise<Found> {
  const { database } = call.services;
  const made = await compiled(call, asked);
  const { selection, catalog } = made;
  const { type } = selection;
  const columns = asked.columns?.length ? asked.columns : type.fields.filter((f) => !f.hidden).map((f) => f.name);
  const limit = asked.limit ?? pageSize;
  const page = { columns, sort: sortOf(asked.sort, asked.take), limit: limit + 1, after: marked(asked.after) };
  const moved = gone(call.res);
  const [rows, counted, blanks] = await Promise.all([
    limit === 0
      ? []
      : database.askWithin<Record<string, string | null>>(findPage(selection, catalog, page), longestSearch, moved),
    asked.count === 'exact'
      ? database.askWithin<{ count: number }>(countRecords(selection), longestSearch, moved)
      : undefined,
    asked.count === 'exact' ? blanksLeftOut(call.services, call.seen, made, moved) : null,
  ])
    .catch((error: unknown) => {
      if (asked.after !== undefined && isBadValue(error)) notAMark();
      throw error;
    })
    .catch(asProblem);
  const paths = pathsOf(catalog, type, columns);
  const labels = new Labels(database, catalog);
  const shown = rows.slice(0, limit);
  for (const row of shown) paths.forEach((path, i) => labels.want(path.field, row[`c${i + 1}`] ?? null));
  await labels.load();
  const last = shown.at(-1);
  return {
    type: type.id,
    columns: paths.map((p, i) => ({ name: columns[i]!, label: pathLabel(p), kind: p.field.kind })),
    records: shown.map((row) => ({
      key: row.key ?? null,
      values: paths.map((p, i) => labels.show(p.field, row[`c${i + 1}`] ?? null)),
    })),
    next: rows.length > limit && last && hasKey(type) ? mark(last) : null,
    numberReturned: shown.length,
    numberMatched: counted ? (counted[0]?.count ?? 0) : null,
    blanks,
  };
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
  return notAMark();
}

function notAMark(): never {
  return fail('bad_request', 'This page mark is not one that was given out.', { where: 'after' });
}
