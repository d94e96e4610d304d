import type { ChangeView, JournalRecord, PreviewView, RunView, TypeSummary, TypeView } from '@tantamos/contract';
import {
  alongOf,
  isMoving,
  isOver,
  keyWords,
  maySay,
  needsAttention,
  type Catalog,
  type Field,
  type RecordType,
  type Unreadable,
  type WorkOrder,
} from '@tantamos/core';
import type { Person } from '../accounts/rights';
import { namesOf } from '../catalog/names';
import type { Database } from '../database/database';
import type { PreviewRow } from '../engine/preview-row';
import { mayStart } from '../engine/may-start';
import { droppedWords, type RunRow } from '../engine/runs';
import type { JournalRow } from '../journal/journal';
import type { Services } from '../services';
import { Labels } from './labels';

export function typeSummary(t: RecordType): TypeSummary {
  const { id, label, comment, key, nameField, ownerFields, notChangeable, hidden, bounds, about } = t;
  return { id, label, comment, key, nameField, ownerFields, notChangeable, notReadable: null, hidden, bounds, about };
}

/** A type that is there and cannot be read: its name and why. */
export function unreadableSummary({ name, label, reason }: Unreadable): TypeSummary {
  return {
    id: name,
    label,
    comment: null,
    key: [],
    nameField: null,
    ownerFields: [],
    notChangeable: reason,
    notReadable: reason,
    hidden: false,
    bounds: { mostRecords: null, typedFrom: 0, largestBatch: 0 },
    about: 0,
  };
}

export function typeView(t: RecordType, person: Person): TypeView {
  const fields = person.role === 'administrator' ? t.fields : t.fields.filter((f) => !f.hidden);
  return {
    ...typeSummary(t),
    fields,
    unreadable: t.unreadable,
    rules: t.rules.map(({ name, message }) => ({ name, message })),
    triggers: t.triggers,
  };
}

export async function previewView(services: Services, p: PreviewRow, person: Person): Promise<PreviewView> {
  const { database, catalogs } = services;
  const catalog = await catalogs.get();
  const type = catalog.find(p.type);
  const labels = new Labels(database, catalog);
  const fieldOfPair = ({ part, field }: PreviewRow['pairs'][number]): Field | undefined =>
    catalog.find(p.work_order.parts[part]?.type ?? p.type)?.fields.find((f) => f.name === field);
  for (const pair of p.pairs) {
    const field = fieldOfPair(pair);
    if (field) [pair.old, pair.new].forEach((v) => labels.want(field, v));
  }
  await labels.load();
  const start = type ? mayStart(p, type) : null;
  return {
    id: p.id,
    kind: p.kind,
    undoOf: p.undo_of,
    type: p.type,
    typeLabel: type?.label ?? p.type,
    sentence: p.sentence,
    job: p.job,
    why: p.why,
    state: p.state,
    trouble: p.trouble,
    progress: p.progress,
    madeBy: p.made_by_name,
    mine: p.made_by === person.id,
    madeAt: p.made_at.toISOString(),
    expiresAt: p.expires_at.toISOString(),
    expired: p.expired,
    batchSize: p.batch_size,
    batches: p.batches,
    totals: {
      matched: p.matched,
      changed: 0,
      already_right: p.already_right,
      not_allowed: p.not_allowed,
      edited_since: p.edited_since,
      refused: 0,
      in_use: 0,
      gone: p.gone,
      not_yet: p.will_change,
    },
    pairs: p.pairs.map((pair) => ({ ...changeView(fieldOfPair(pair), pair, labels), count: pair.count })),
    morePairs: p.more_pairs,
    causes: p.causes,
    triggers: p.triggers,
    list: p.list_report,
    along: alongViews(catalog, p.work_order, p.along),
    notes: p.notes,
    hindrance: start ? (start.hindrance?.message ?? null) : `The type “${p.type}” is no longer there.`,
    expectRequired: start?.sayNumber != null,
    run: p.run,
  };
}

export async function runView(services: Services, r: RunRow): Promise<RunView> {
  const catalog = await services.catalogs.get();
  const type = catalog.find(r.type);
  const { matched, changed, already_right, not_allowed, edited_since, refused, in_use, gone, not_yet } = r;
  const totals = { matched, changed, already_right, not_allowed, edited_since, refused, in_use, gone, not_yet };
  return {
    id: r.id,
    preview: r.preview,
    kind: r.kind,
    undoOf: r.undo_of,
    undoneBy: r.undone_by,
    type: r.type,
    typeLabel: type?.label ?? r.type,
    sentence: r.sentence,
    why: r.why,
    state: r.state,
    reason: services.engine.hindrance(r.id) ?? r.reason,
    stateBy: r.state_by_name,
    stateAt: r.state_at.toISOString(),
    startedBy: r.started_by_name,
    startedAt: r.started_at.toISOString(),
    endedAt: r.ended_at?.toISOString() ?? null,
    workedMs: r.worked_ms,
    batchSize: r.batch_size,
    atOnce: r.at_once,
    pace: r.pace,
    askAfter: r.ask_after,
    batches: r.batches,
    batchesDone: r.batches_done,
    list: r.list_report,
    along: alongViews(catalog, r.work_order, r.along),
    notes: r.journal_dropped_at === null ? r.notes : [...r.notes, droppedNote(r.journal_dropped_at)],
    totals,
    verbs: verbsFor(r),
  };
}

/** Journal rows with names and labels; the records' names are those of now. */
export async function journalRecords(
  database: Database,
  catalog: Catalog,
  rows: readonly JournalRow[],
): Promise<JournalRecord[]> {
  const labels = new Labels(database, catalog);
  const names = new Map<string, ReadonlyMap<string, string>>();
  const fieldOf = (row: JournalRow, name: string): Field | undefined =>
    catalog.find(row.type)?.fields.find((f) => f.name === name);
  for (const row of rows)
    for (const change of row.changes) {
      const field = fieldOf(row, change.field);
      if (field) [change.old, change.new].forEach((v) => labels.want(field, v));
    }
  for (const id of new Set(rows.map((r) => r.type))) {
    const type = catalog.find(id);
    const keys = rows.filter((r) => r.type === id).map((r) => r.key);
    if (type) names.set(id, await namesOf(database, type, keys));
  }
  await labels.load();
  // A type without names is named by its key.
  const nameOf = (row: JournalRow): string | null => {
    const type = catalog.find(row.type);
    return type?.nameField === null ? keyWords(type, row.key) : (names.get(row.type)?.get(row.key) ?? null);
  };
  return rows.map((row) => ({
    type: row.type,
    key: row.key,
    name: nameOf(row),
    outcome: row.outcome,
    cause: row.cause,
    changes: row.changes.map((c) => changeView(fieldOf(row, c.field), c, labels)),
  }));
}

export function changeView(
  field: Field | undefined,
  change: { field: string; old: string | null; new: string | null },
  labels?: Labels,
): ChangeView {
  const show = (value: string | null) => (field && labels ? labels.show(field, value) : { value });
  return { field: change.field, label: field?.label ?? change.field, old: show(change.old), new: show(change.new) };
}

function alongViews(catalog: Catalog, order: WorkOrder, counts: readonly number[]): PreviewView['along'] {
  return alongOf(order).map(({ entry, at }) => ({
    type: entry.type,
    label: catalog.find(entry.type)?.label ?? entry.type,
    act: entry.act,
    count: counts[at] ?? 0,
  }));
}

function verbsFor(r: RunRow): RunView['verbs'] {
  const steering = (['pause', 'continue', 'stop'] as const).filter((verb) => maySay(verb, r.state));
  const undone = r.undone_by.some((u) => u.changed >= r.changed || !isOver(u.state));
  const undo = r.changed > 0 && !undone && !isMoving(r.state) ? (['undo'] as const) : [];
  const left = needsAttention.some((o) => o !== 'gone' && r[o] > 0);
  const retry = isOver(r.state) && left ? (['retry'] as const) : [];
  return [...steering, ...undo, ...retry];
}

function droppedNote(at: Date): RunView['notes'][number] {
  return { code: 'journal_dropped', message: droppedWords(at), count: 0, examples: [] };
}
