import type { HandoverLineView, HandoverView } from '@tantamos/contract';
import {
  checkCondition,
  emit,
  fieldNamed,
  identifier,
  keyAmong,
  keyField,
  list,
  namesIn,
  parse,
  ProblemError,
  raw,
  relationsOf,
  Scope,
  sql,
  tableOf,
  typeWords,
  value,
  type Catalog,
  type Context,
  type Field,
  type HandoverLine,
  type RecordType,
  type RunState,
  type Sql,
  type WorkOrder,
} from '@tantamos/core';
import { answerNames, namesOf } from '../catalog/names';
import type { Database } from '../database/database';
import { longestSearch } from '../database/patience';
import { isKnown } from '../journal/known';
import type { Seen } from '../rights/seen';

/** A person who is handed over from, and who they are. */
export interface Giver {
  readonly type: RecordType;
  readonly key: string;
}

/** Records of a type that point at the person by a field. */
interface Counted {
  readonly type: string;
  readonly field: string;
  readonly open: number;
  readonly total: number;
}

interface Last {
  readonly preview: string;
  readonly run: string;
  readonly state: RunState;
  readonly made_at: Date;
  readonly by: string;
  readonly before: readonly Counted[];
  readonly lines: readonly HandoverLine[];
  readonly type: string;
  readonly made_by: string;
  readonly work_order: WorkOrder;
  readonly row_limits: Readonly<Record<string, string>> | null;
}

/** The person of that name or key; throws `unknown_name` or `ambiguous_name`. */
export async function giverOf(database: Database, catalog: Catalog, typeId: string, said: string): Promise<Giver> {
  const type = catalog.type(typeId);
  keyField(type);
  const question = { typeId, text: said, where: 'person' };
  const answers = await answerNames(database, catalog, [question]);
  return { type, key: answers.key(question, catalog) };
}

/** The person by their name where no other has it, so that it is read in sentences; else by their key. */
export async function saidAs(database: Database, catalog: Catalog, { type, key }: Giver): Promise<string> {
  const name = (await namesOf(database, type, [key])).get(key);
  if (!name) return key;
  const question = { typeId: type.id, text: name };
  return (await answerNames(database, catalog, [question])).found(question).length === 1 ? name : key;
}

/** Everything that points at a person, counted now, beside what the last hand over of theirs found and what it left. */
export async function handoverOf(
  database: Database,
  seen: Seen,
  context: Context,
  giver: Giver,
  signal?: AbortSignal,
): Promise<HandoverView> {
  const { type, key } = giver;
  const { catalog } = seen;
  const relations = relationsOf(catalog, type).filter(({ field }) => !field.hidden);
  const counts = await countsOf(database, catalog, context, giver, signal);
  const last = await lastOf(database, seen, giver);
  const done = last && (await doneOf(database, last.run));
  const lines = relations.map(({ child, field }, i): HandoverLineView => {
    const { open, total } = counts[i]!;
    // What whoever made it counted is of all records, not of those that this person may see.
    const isTold = last !== null && (last.made_by === seen.person.id || !child.limits?.source);
    const before = isTold ? last.before.find((b) => b.type === child.id && b.field === field.name) : undefined;
    const isOwner = child.ownerFields.includes(field.name);
    return {
      type: child.id,
      label: child.label,
      field: field.name,
      fieldLabel: field.label,
      isOwner,
      openWhen: openOf(child, catalog, context) === null ? null : child.openWhen,
      open,
      total,
      not: child.notChangeable ?? field.notEditable,
      follows: followsOf(child, field, catalog, type),
      before: before ? { open: before.open, total: before.total } : null,
      why: isTold && total > 0 ? whyLeft({ child, field, isOwner, total, open }, last, done!) : [],
    };
  });
  const name = (await namesOf(database, type, [key])).get(key) ?? key;
  return {
    type: type.id,
    key,
    name,
    isActive: await isActive(database, giver),
    lines: lines.filter((l) => l.total > 0 || (l.before?.total ?? 0) > 0).sort(byWeight),
    last: last && {
      at: last.made_at.toISOString(),
      by: last.by,
      preview: last.preview,
      run: last.run,
      state: last.state,
    },
  };
}

/** What points at the person: by each relation of their type, in its order. */
export async function countsOf(
  database: Database,
  catalog: Catalog,
  context: Context,
  { type, key }: Giver,
  signal?: AbortSignal,
): Promise<readonly Counted[]> {
  const relations = relationsOf(catalog, type).filter(({ field }) => !field.hidden);
  if (relations.length === 0) return [];
  const at = sql`${value(key)}::${raw(keyField(type).dbType)}`;
  const counts = relations.map(({ child, field }, i): Sql => {
    const scope = new Scope(child, context.env);
    const open = openOf(child, catalog, context);
    const isOpen = open ? sql` filter (where ${emit(open, scope)})` : raw('');
    return sql`select ${raw(String(i))} as i, count(*)::int as total, count(*)${isOpen}::int as open
      from ${scope.from()} where ${scope.root}.${identifier(field.name)} = ${at}`;
  });
  const rows = await database.askWithin<{ i: number; total: number; open: number }>(
    counts.reduce((one, next) => sql`${one} union all ${next}`),
    longestSearch,
    signal,
  );
  return relations.map(({ child, field }, i) => {
    const row = rows.find((r) => r.i === i);
    return { type: child.id, field: field.name, open: row?.open ?? 0, total: row?.total ?? 0 };
  });
}

/** What says which records of a type count as open; null where all do, or where it asks what the person may not see. */
function openOf(type: RecordType, catalog: Catalog, context: Context) {
  if (type.openWhen === null) return null;
  try {
    const tree = checkCondition(parse(type.openWhen), catalog, type, context);
    // A field that has come to point at records since would be asked by name.
    return namesIn(tree).length > 0 ? null : tree;
  } catch (error) {
    if (error instanceof ProblemError) return null;
    throw error;
  }
}

/** References of a type to others that have owners of the same type of person. */
function followsOf(child: RecordType, field: Field, catalog: Catalog, person: RecordType): HandoverLineView['follows'] {
  if (!child.ownerFields.includes(field.name)) return [];
  return child.fields.flatMap((f) => {
    const parent = f.refersTo === null || f.hidden ? undefined : catalog.find(f.refersTo);
    if (!parent || parent.id === child.id) return [];
    const isOwned = parent.ownerFields.some((name) => fieldNamed(parent, name)?.refersTo === person.id);
    return isOwned ? [{ field: f.name, label: f.label, type: parent.id }] : [];
  });
}

async function isActive(database: Database, { type, key }: Giver): Promise<boolean | null> {
  if (type.activeField === null) return null;
  const r = raw('r');
  const [row] = await database.ask<{ active: boolean | null }>(
    sql`select r.${identifier(type.activeField)} as active from ${tableOf(type)} r where ${keyAmong(type, r, [key])}`,
  );
  return row?.active ?? null;
}

/** The last hand over of the person that was started, if one may know of it. */
async function lastOf(database: Database, seen: Seen, { type, key }: Giver): Promise<Last | null> {
  const rows = await database.rows<Last & Record<string, unknown>>(
    `select h.preview, r.id as run, r.state, r.started_at as made_at, a.name as by, h.before, h.lines, p.type, p.made_by, p.work_order, p.row_limits
     from tantamos.handover h join tantamos.preview p on p.id = h.preview join tantamos.run r on r.preview = p.id
     join tantamos.account a on a.id = r.started_by
     where h.person_type = $1 and h.person_key = $2 order by r.started_at desc limit 20`,
    [type.id, key],
  );
  return rows.find((row) => isKnown(row, seen)) ?? null;
}

interface Done {
  readonly part: number;
  readonly changed: number;
  readonly not_allowed: number;
  readonly edited_since: number;
  readonly refused: number;
  readonly in_use: number;
  readonly not_yet: number;
}

async function doneOf(database: Database, run: string): Promise<readonly Done[]> {
  return database.rows<Done & Record<string, unknown>>(
    `select part, ${leftOutcomes.map((o) => `sum(${o})::int as ${o}`).join(', ')}, sum(changed)::int as changed
     from tantamos.run_batch where run = $1 group by part`,
    [run],
  );
}

const leftOutcomes = ['not_allowed', 'edited_since', 'refused', 'in_use', 'not_yet'] as const;
const leftWords: Readonly<Record<(typeof leftOutcomes)[number], string>> = {
  not_allowed: 'not allowed',
  edited_since: 'edited since',
  refused: 'refused by the database',
  in_use: 'in use by somebody',
  not_yet: 'not yet done',
};

/** Why there are still records that point at the person by a field, once a hand over of theirs was started. */
function whyLeft(
  now: { child: RecordType; field: Field; isOwner: boolean; total: number; open: number },
  last: Last,
  done: readonly Done[],
): string[] {
  const { child, field, isOwner, total, open } = now;
  const line = last.lines.find((l) => l.type === child.id && l.field === field.name);
  if (!line) return [isOwner ? 'it was not ticked' : 'it says who did something, and was not ticked'];
  const part = last.work_order.parts.findIndex((p) => p.type === child.id && p.writes.includes(field.name));
  const outcome = done.find((d) => d.part === part);
  const told = leftOutcomes.flatMap((o) => {
    const n = outcome?.[o] ?? 0;
    return n > 0 ? [`${n.toLocaleString('en-US')} ${leftWords[o]}`] : [];
  });
  const explained = leftOutcomes.reduce((n, o) => n + (outcome?.[o] ?? 0), 0);
  const closed = line.which === 'open' ? total - open : 0;
  const others = total - closed - explained;
  if (closed > 0) told.push(`${closed.toLocaleString('en-US')} closed, not asked for`);
  if (line.follow !== undefined && others > 0)
    told.push(`${others.toLocaleString('en-US')} follow a ${line.follow} still theirs`);
  else if (others > 0) told.push(`${others.toLocaleString('en-US')} came to this person since`);
  return told;
}

/** What a person answers for first, then what there is most of. */
function byWeight(a: HandoverLineView, b: HandoverLineView): number {
  return Number(b.isOwner) - Number(a.isOwner) || b.total - a.total || a.type.localeCompare(b.type);
}

/** “growers and bookings” */
export function typesInWords(lines: readonly HandoverLine[], catalog: Catalog): string {
  return list([...new Set(lines.map((l) => typeWords(catalog.type(l.type))))], 'and');
}
