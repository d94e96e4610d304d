import type { RunView } from '@tantamos/contract';
import { exceededWords, isMoving, isOver, maySay, retried, totalsOf } from '@tantamos/core';
import { toldOf, wordsAsSeen } from '../journal/gate';
import { partsSeen } from '../journal/parts';
import { alongViews } from '../journal/records';
import { reportAsSeen } from '../lists/seen-report';
import type { Seen } from '../rights/seen';
import type { Services } from '../services';
import { droppedWords, type RunRow } from './runs';

/** A run as a person may see it, who may know of it (see `mustKnow`). */
export async function runView(services: Services, r: RunRow, seen: Seen): Promise<RunView> {
  const { engine } = services;
  const type = seen.catalog.find(r.type);
  const { sentence } = await toldOf(r, seen, services);
  const notes = r.notes.filter((n) => wordsAsSeen(n.message, type) === n.message);
  return {
    id: r.id,
    preview: r.preview,
    kind: r.kind,
    undoOf: r.undo_of,
    undoneBy: r.undone_by,
    type: r.type,
    typeLabel: type?.label ?? r.type,
    sentence,
    why: r.why,
    state: r.state,
    reason: wordsAsSeen(engine.hindrance(r.id) ?? r.reason, type),
    stateBy: r.state_by_name,
    stateAt: r.state_at.toISOString(),
    startedBy: r.started_by_name,
    previewBy: r.preview_by_name,
    startedAt: r.started_at.toISOString(),
    endedAt: r.ended_at?.toISOString() ?? null,
    workedMs: r.worked_ms,
    batchSize: r.batch_size,
    atOnce: r.at_once,
    types: typesOf(r, seen),
    pace: r.pace,
    givesWay: r.gives_way && r.state === 'running' && r.pace === null,
    askAfter: r.ask_after,
    perSecond: r.per_second,
    perGo: r.per_go,
    goEvery: r.go_every,
    hours: r.hours,
    stopIf: r.stop_if,
    exceeded: r.exceeded && { ...r.exceeded, words: exceededWords(r.exceeded) },
    wakesAt: r.wakes_at?.toISOString() ?? null,
    batches: r.batches,
    batchesDone: r.batches_done,
    list: r.list_report && reportAsSeen(r.list_report, seen),
    along: alongViews(seen.catalog, r.work_order, r.along),
    notes: r.journal_dropped_at === null ? notes : [...notes, droppedNote(r.journal_dropped_at)],
    totals: totalsOf(r),
    parts: partsSeen(seen.catalog, r.kind, r.work_order, totalsOf(r), r.part_totals ?? []),
    verbs: verbsFor(r, seen),
  };
}

/** Those of its types that the person may see. */
function typesOf(r: RunRow, seen: Seen): RunView['types'] {
  return [...new Set(r.work_order.parts.map((p) => p.type))].flatMap((id) => {
    const type = seen.catalog.find(id);
    return type && !type.hidden ? [{ id, label: type.label }] : [];
  });
}

/** What may be said to the run now, by whom sees it. */
function verbsFor(r: RunRow, seen: Seen): RunView['verbs'] {
  const mine = r.started_by === seen.person.id || seen.may('steer');
  const steering = mine
    ? [
        ...(['pause', 'continue', 'stop'] as const).filter((verb) => maySay(verb, r.state)),
        ...(isOver(r.state) ? [] : (['change'] as const)),
      ]
    : [];
  const undone = r.undone_by.some((u) => (u.whole && u.changed >= r.changed) || !isOver(u.state));
  const mayUndo = seen.rights.may('put_back', r.type);
  const undo = mayUndo && r.changed > 0 && !undone && !isMoving(r.state) ? (['undo'] as const) : [];
  const left = retried.some((o) => r[o] > 0) && seen.rights.may('change', r.type);
  const retry = isOver(r.state) && left ? (['retry'] as const) : [];
  return [...steering, ...undo, ...retry];
}

function droppedNote(at: Date): RunView['notes'][number] {
  return { code: 'journal_dropped', message: droppedWords(at), count: 0, examples: [] };
}
