import type { FoundRecord, JobBody, JournalRecord, PreviewView, RunView, Value } from '@tantamos/contract';
import { useMutation } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { api, queryClient } from '../app/api';
import { keyWords } from '../components/format';
import type { Draft } from '../job/draft';
import { queries } from '../queries';
import { previewNow, runNow, undoNow, workedOut, type SmallRun } from '../record/small-run';
import { jobOfCells, keysOf, listed, withCells, withoutCells, type PendingCells } from './cells';

/** A cell that somebody else has changed since it was edited here. */
export interface Conflict {
  readonly key: string;
  readonly field: string;
  readonly record: string;
  readonly was: string | null;
  readonly now: Value;
}

/** A record that was left as it is, and why. */
export interface LeftRecord {
  readonly key: string;
  readonly record: string;
  readonly why: string;
}

export interface CellsDone {
  readonly run: RunView | null;
  readonly conflicts: readonly Conflict[];
  /** Records that had these values already. */
  readonly alreadyRight: number;
  readonly left: readonly LeftRecord[];
}

/** A preview of the pending cells that is looked at first: null where somebody else has changed some of them. */
interface CellsSeen {
  readonly preview: PreviewView | null;
  readonly conflicts: readonly Conflict[];
}

/** The cells edited in the grid: what is pending, and how it is written at once and taken back. */
export function useCells(type: string, draft: Draft, set: (next: Partial<Draft>) => void) {
  const { cells } = draft;
  const [why, setWhy] = useState('');
  const [undone, setUndone] = useState<SmallRun | null>(null);
  // As they are now, and as they were when they were last sent.
  const latest = useRef(cells);
  const sent = useRef(cells);
  useEffect(() => {
    latest.current = cells;
  }, [cells]);
  const put = (next: PendingCells): void => {
    // What is under way goes on, and tells of itself when it is done.
    if (!change.isPending) change.reset();
    if (!look.isPending) look.reset();
    setUndone(null);
    set({ cells: next });
  };
  const refresh = async (): Promise<void> => {
    // What was looked at before tells nothing of what is read now.
    await queryClient.cancelQueries({ queryKey: queries.aboutPresent(type) });
    await queryClient.invalidateQueries({ queryKey: queries.aboutFound(type) });
  };
  /** The pending cells or, where one is given, another small job on records in sight. */
  const change = useMutation({
    mutationFn: (job: JobBody | null) => {
      sent.current = cells;
      look.reset();
      return job ? carriedOut(job) : written(type, cells, why);
    },
    onSuccess: async ({ run, conflicts, left }, job) => {
      if (conflicts.length > 0) return;
      const stays = new Set(left.map((l) => l.key));
      // What was edited while it was written is not written yet.
      const isWritten = (key: string, field: string): boolean =>
        !stays.has(key) && sent.current[field]?.[key]?.value === latest.current[field]?.[key]?.value;
      if (!job) set({ cells: withoutCells(latest.current, isWritten) });
      setWhy('');
      if (run) await refresh();
    },
  });
  /** The pending cells to be looked at first; one that somebody else has changed since is settled before. */
  const look = useMutation({
    mutationFn: async (): Promise<CellsSeen> => {
      change.reset();
      const preview = await workedOut(await api.makePreview(jobOfCells(type, cells, why)));
      const { conflicts } = await heldAgainst(preview, cells);
      return { preview: conflicts.length > 0 ? null : preview, conflicts };
    },
  });
  const conflicts = change.data?.conflicts ?? look.data?.conflicts ?? [];
  const undo = useMutation({
    mutationFn: (run: string) => undoNow(run),
    onSuccess: async (done) => {
      change.reset();
      setUndone(done);
      await refresh();
    },
  });
  /** What is said of a conflict: mine all the same, or theirs stays. */
  const settle = ({ key, field, now }: Conflict, mine: boolean): void => {
    const cell = cells[field]?.[key];
    if (mine && cell) set({ cells: withCells(cells, field, { [key]: { ...cell, was: now.value } }) });
    else set({ cells: withoutCells(cells, (k, f) => k === key && f === field) });
  };
  return { cells, put, why, setWhy, change, look, conflicts, undo, undone, settle, refresh };
}

export type Cells = ReturnType<typeof useCells>;

/** Nobody's edit is overwritten unseen: what stands there now is held against what stood there when the cell was edited. */
async function written(type: string, cells: PendingCells, why: string): Promise<CellsDone> {
  const preview = await previewNow(jobOfCells(type, cells, why));
  const { records, conflicts } = await heldAgainst(preview, cells);
  if (conflicts.length > 0) return { run: null, conflicts, alreadyRight: 0, left: [] };
  const done = await ran(preview, records);
  const gone = keysOf(cells).filter((key) => !records.some((r) => r.key === key));
  return {
    ...done,
    left: [...done.left, ...gone.map((key) => ({ key, record: keyWords(key), why: 'It is not there any more.' }))],
  };
}

/** The records of a preview, and which cells somebody else has changed since they were edited here; with any, it is withdrawn. */
async function heldAgainst(
  preview: PreviewView,
  cells: PendingCells,
): Promise<{ readonly records: readonly JournalRecord[]; readonly conflicts: readonly Conflict[] }> {
  const records: JournalRecord[] = [];
  let next: string | null | undefined;
  do {
    const page = await api.previewRecords(preview.id, { limit: 500, ...(next ? { after: next } : {}) });
    records.push(...page.records);
    ({ next } = page);
  } while (next);
  const conflicts = conflictsIn(cells, records);
  if (conflicts.length > 0) await api.dropPreview(preview.id);
  return { records, conflicts };
}

async function carriedOut(job: JobBody): Promise<CellsDone> {
  const preview = await previewNow(job);
  return ran(preview, (await api.previewRecords(preview.id, { limit: 500 })).records);
}

async function ran(preview: PreviewView, records: readonly JournalRecord[]): Promise<CellsDone> {
  const { run } = await runNow(preview);
  const after = run ? (await api.runRecords(run.id, { limit: 500 })).records : records;
  const left = after
    .filter((r) => !['changed', 'already_right'].includes(r.outcome))
    .map((r) => ({ key: r.key, record: r.name || keyWords(r.key), why: whyLeft(r) }));
  const alreadyRight = after.filter((r) => r.outcome === 'already_right').length;
  return { run, conflicts: [], alreadyRight, left };
}

function whyLeft({ cause, outcome }: JournalRecord): string {
  if (outcome === 'in_use') return 'somebody else holds it just now. Try again in a moment.';
  return cause ?? outcome.replaceAll('_', ' ');
}

function conflictsIn(cells: PendingCells, records: readonly JournalRecord[]): readonly Conflict[] {
  return listed(cells).flatMap(({ field, key, was, value }) => {
    const record = records.find((r) => r.key === key);
    const now = record?.changes.find((c) => c.field === field)?.old;
    if (!record || !now || was === undefined || now.value === was || now.value === value) return [];
    return [{ key, field, record: record.name || keyWords(key), was, now }];
  });
}

/** Which of the records with pending cells are loaded in the grid. */
export const isInSight = (cells: PendingCells, records: readonly FoundRecord[]): boolean => {
  const seen = new Set(records.map((r) => r.key));
  return keysOf(cells).every((key) => seen.has(key));
};
