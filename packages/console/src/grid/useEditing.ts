import type { Found, FoundRecord, TypeView } from '@tantamos/contract';
import { useCallback, useMemo, useState } from 'react';
import type { Draft } from '../job/draft';
import type { DraftEdit } from '../job/edits';
import type { Editing } from '../records/Grid';
import {
  editableColumn,
  filled,
  listed,
  mostCells,
  withCells,
  type Block,
  type Filled,
  type PendingCell,
  type PendingCells,
} from './cells';
import { useCells } from './useCells';
import { useMeanwhile } from './useMeanwhile';

interface Asked {
  readonly type: TypeView;
  readonly draft: Draft;
  readonly set: (next: Partial<Draft>) => void;
  readonly columns: Found['columns'];
  readonly records: readonly FoundRecord[];
  readonly sight: readonly string[];
  /** When the records were loaded, in ms since 1970. */
  readonly loadedAt: number;
  /** How many records all that match are; undefined while they are counted. */
  readonly matching: number | undefined;
}

/** Editing in the grid: cells one by one, for all that are picked, down a column, out of a spreadsheet, and away again. */
export function useEditing({ type, draft, set, columns, records, sight, loadedAt, matching }: Asked) {
  const cells = useCells(type.id, draft, set);
  const [left, setLeft] = useState<readonly string[]>([]);
  const names = useMemo(() => columns.map((c) => c.name), [columns]);
  const meanwhile = useMeanwhile(type.id, names, records, sight, loadedAt);
  const { cells: pending } = cells;
  const put = (next: PendingCells, notTaken: readonly string[] = []): void => {
    const count = listed(next).length;
    const tooMany = `${mostCells.toLocaleString('en')} cells may be edited here; more are work for a file, or for an edit of the job.`;
    if (count > mostCells) return setLeft([tooMany]);
    setLeft(notTaken);
    cells.put(next);
  };
  const fill = ({ cells: next, left: notTaken }: Filled): void => put(next, notTaken);
  const picked = draft.allPicked ? { count: matching ?? Infinity, unseen: 0 } : pickedOf(draft, records);

  const forPicked = (column: string, value: string | null, shown: string | null): void => {
    if (draft.allPicked) {
      // As many as match are no cells: it is an edit of the job.
      const edit = (
        value === null ? { kind: 'clear', field: column } : { kind: 'set', field: column, value }
      ) as DraftEdit;
      return set({
        panel: true,
        edits: [...draft.edits.filter((e) => e.field !== undefined && e.field !== column), edit],
      });
    }
    const at = names.indexOf(column);
    const seen = new Map(records.map((r) => [r.key, r]));
    const fresh = draft.picked.map((key): [string, PendingCell] => {
      const record = seen.get(key);
      return [key, { value, shown, ...(record ? { was: record.values[at]!.value } : {}) }];
    });
    put(withCells(pending, column, Object.fromEntries(fresh)));
  };
  const onEdit: Editing['onEdit'] = (record, at, value, shown, all) => {
    const column = columns[at]!.name;
    if (all) return forPicked(column, value, shown);
    put(withCells(pending, column, { [record.key!]: { value, shown, was: record.values[at]!.value } }));
  };
  const onFill = ({ top, bottom, left: from, right }: Block): void => {
    let next = pending;
    const notTaken: string[] = [];
    for (let i = from; i <= right; i++) {
      const column = columns[i]!;
      const field = editableColumn(type, column.name);
      const source = records[top];
      if (typeof field === 'string') notTaken.push(`${column.label}: ${field}`);
      if (typeof field === 'string' || !source?.key) continue;
      const first = next[column.name]?.[source.key];
      const value = first ? first.value : source.values[i]!.value;
      const shown = first ? first.shown : (source.values[i]!.label ?? value);
      const fresh = records
        .slice(top + 1, bottom + 1)
        .flatMap((r): [string, PendingCell][] =>
          r.key === null ? [] : [[r.key, { value, shown, was: r.values[i]!.value }]],
        );
      next = withCells(next, column.name, Object.fromEntries(fresh));
    }
    put(next, notTaken);
  };
  const texts = (block: Block, text: string): string[][] =>
    Array.from({ length: block.bottom - block.top + 1 }, () =>
      Array.from({ length: block.right - block.left + 1 }, () => text),
    );
  const onClear = (block: Block): void =>
    fill(filled(pending, type, columns, records, { row: block.top, column: block.left }, texts(block, '')));
  /** Cells as a spreadsheet gives them, from one on. */
  const paste = async (text: string, at: { record: number; column: string }): Promise<void> => {
    const { parse } = await import('csv-parse/browser/esm/sync');
    const rows = parse(text, { delimiter: '\t', relax_column_count: true, relax_quotes: true }) as string[][];
    fill(filled(pending, type, columns, records, { row: at.record, column: names.indexOf(at.column) }, rows));
  };
  const fieldOf = useCallback((column: string) => editableColumn(type, column), [type]);
  const editing: Editing = {
    fieldOf,
    pending,
    meanwhile,
    picked,
    onEdit,
    onFill,
    onClear,
    onRefresh: () => void cells.refresh(),
  };
  return { editing, cells, left, paste };
}

function pickedOf({ picked }: Draft, records: readonly FoundRecord[]): Editing['picked'] {
  const seen = new Set(records.map((r) => r.key));
  return { count: picked.length, unseen: picked.filter((key) => !seen.has(key)).length };
}
