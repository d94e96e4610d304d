import type { ChangeView, JournalRecord, PreviewView, RunView, TypeSummary, TypeView } from '@tantamos/contract';
import { isOver, needsAttention, runVerbs, type Catalog, type Field, type RecordType } from '@tantamos/core';
import type { Person } from '../accounts/rights';
import { namesOf } from '../catalog/names';
import type { Database } from '../database/database';
import type { PreviewRow } from '../engine/preview-row';
import type { RunRow } from '../engine/runs';
import type { JournalRow } from '../journal/journal';
import type { Services } from '../services';
import { Labels } from './labels';

export function typeSummary(t: RecordType): TypeSummary {
  const { id, label, comment, key, nameField, ownerFields, notChangeable, hidden, bounds, about } = t;
  return { id, label, comment, key, nameField, ownerFields, notChangeable, hidden, bounds, about };
}

export function typeView(t: RecordType, person: Person): TypeView {
  const fields = person.role === 'administrator' ? t.fields : t.fields.filter((f) => !f.hidden);
  return {
    ...typeSummary(t),
    fields,
    rules: t.rules.map(({ name, message }) => ({ name, message })),
    triggers: t.triggers,
  };
}

export async function previewView(services: Services, p: PreviewRow, person: Person): Promise<PreviewView> {
  const { database, catalogs, previews } = services;
  const catalog = await catalogs.get();
  const type = catalog.find(p.type);
  const labels = new Labels(database, catalog);
  const fieldOfPair = (name: string): Field | undefined => type?.fields.find((f) => f.name === name);
  for (const pair of p.pairs) {
    const field = fieldOfPair(pair.field);
    if (field) [pair.old, pair.new].forEach((v) => labels.want(field, v));
  }
  await labels.load();
  const { filter, keys, related, list, take } = p.job.selection;
  const whole = p.kind === 'edit' && !filter?.trim() && !keys && !related && !list && !take;
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
    progress: previews.progress(p.id),
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
    pairs: p.pairs.map((pair) => ({ ...changeView(fieldOfPair(pair.field), pair, labels), count: pair.count })),
    morePairs: p.more_pairs,
    causes: p.causes,
    triggers: p.triggers,
    list: p.list_report,
    expectRequired: p.will_change > 0 && (whole || p.will_change >= (type?.bounds.typedFrom ?? 0)),
    run: p.run,
  };
}

export async function runView(services: Services, r: RunRow): Promise<RunView> {
  const type = (await services.catalogs.get()).find(r.type);
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
    totals,
    verbs: verbsFor(r),
  };
}

/** Journal rows with names and labels; the records' names are those of now. */
export async function journalRecords(
  database: Database,
  catalog: Catalog,
  typeId: string,
  rows: readonly JournalRow[],
): Promise<JournalRecord[]> {
  const type = catalog.find(typeId);
  if (!type)
    return rows.map(({ key, outcome, cause, changes }) => ({
      key,
      name: null,
      outcome,
      cause,
      changes: changes.map((c) => changeView(undefined, c)),
    }));
  const fields = new Map(type.fields.map((f) => [f.name, f]));
  const labels = new Labels(database, catalog);
  for (const row of rows)
    for (const change of row.changes) {
      const field = fields.get(change.field);
      if (field) [change.old, change.new].forEach((v) => labels.want(field, v));
    }
  const [names] = await Promise.all([
    namesOf(
      database,
      type,
      rows.map((r) => r.key),
    ),
    labels.load(),
  ]);
  return rows.map(({ key, outcome, cause, changes }) => ({
    key,
    name: names.get(key) ?? null,
    outcome,
    cause,
    changes: changes.map((c) => changeView(fields.get(c.field), c, labels)),
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

function verbsFor(r: RunRow): RunView['verbs'] {
  const steering = (['pause', 'continue', 'stop'] as const).filter((verb) => runVerbs[verb].from.includes(r.state));
  const undone = r.undone_by.some((u) => u.changed >= r.changed || !isOver(u.state));
  const undo = r.changed > 0 && !undone && r.state !== 'running' && r.state !== 'queued' ? (['undo'] as const) : [];
  const left = needsAttention.some((o) => o !== 'gone' && r[o] > 0);
  const retry = isOver(r.state) && left ? (['retry'] as const) : [];
  return [...steering, ...undo, ...retry];
}
