import type { FoundRecord, SelectionParts, TypeSummary, TypeView } from '@tantamos/contract';
import type { Expression } from '@tantamos/core';
import { lazy, Suspense } from 'react';
import type { Draft } from '../job/draft';
import { CountsSheet } from './CountsSheet';
import { CrossSheet } from './CrossSheet';
import type { FieldChoice } from './fields';
import { PastedLines } from './PastedLines';
import { PasteSheet } from './PasteSheet';
import { ValuesDrawer } from './ValuesDrawer';

const NewRecord = lazy(() => import('./NewRecord'));
const FileSheet = lazy(() => import('../files/FileSheet'));

/** What stands open over the records; one thing at a time. */
export type Open =
  | { paste: string }
  | { values: string }
  | { cross: { rows: string; columns: string } }
  | { counts: true }
  | { file: true }
  | { made: true }
  | { lines: string; at: { record: number; column: string } };

interface Props {
  type: TypeView;
  types: readonly TypeSummary[];
  fields: readonly FieldChoice[];
  records: readonly FoundRecord[];
  parts: SelectionParts;
  draft: Draft;
  pinned: readonly string[];
  open: Open | null;
  onOpen: (open: Open | null) => void;
  onPins: (paths: readonly string[]) => void;
  onNarrow: (condition: Expression) => void;
  onChange: (next: Partial<Draft>) => void;
  onGo: (type: string, start: Partial<Draft>) => void;
}

/** Values of a field, two fields crossed, kept counts, a pasted list, lines pasted into the grid. */
export function Sheets(props: Props) {
  const { type, types, fields, records, parts, draft, pinned, open, onOpen, onPins, onNarrow, onChange, onGo } = props;
  const choiceOf = (path: string): FieldChoice | null => fields.find((f) => f.path === path) ?? null;
  return (
    <>
      <ValuesDrawer
        type={type.id}
        parts={parts}
        choice={open && 'values' in open ? choiceOf(open.values) : null}
        fields={fields}
        pinned={open !== null && 'values' in open && pinned.includes(open.values)}
        onPin={(on) => {
          const path = (open as { values: string }).values;
          const rest = pinned.filter((p) => p !== path);
          onPins(on ? [...rest, path].slice(-3) : rest);
        }}
        onNarrow={onNarrow}
        onCounts={() => onOpen({ counts: true })}
        onCross={(path) => onOpen({ cross: { rows: (open as { values: string }).values, columns: path } })}
        onClose={() => onOpen(null)}
      />
      <CrossSheet
        type={type.id}
        parts={parts}
        crossed={open && 'cross' in open ? open.cross : null}
        fields={fields}
        onChange={(cross) => onOpen({ cross })}
        onCounts={() => onOpen({ counts: true })}
        onNarrow={onNarrow}
        onClose={() => onOpen(null)}
      />
      <CountsSheet open={open !== null && 'counts' in open} types={types} onClose={() => onOpen(null)} />
      {open !== null && 'file' in open && (
        <Suspense fallback={null}>
          <FileSheet open type={type} fields={fields} onUse={(start) => onChange(start)} onClose={() => onOpen(null)} />
        </Suspense>
      )}
      {open !== null && 'made' in open && (
        <Suspense fallback={null}>
          <NewRecord type={type} onClose={() => onOpen(null)} />
        </Suspense>
      )}
      <PasteSheet
        open={open !== null && 'paste' in open}
        text={open && 'paste' in open ? open.paste : undefined}
        type={type}
        types={types}
        fields={fields}
        onUse={(to, list) => {
          if (to === type.id) onChange({ list });
          else onGo(to, { list });
        }}
        onClose={() => onOpen(null)}
      />
      <PastedLines
        pasted={open && 'lines' in open ? open : null}
        label={(column) => choiceOf(column)?.label ?? column}
        records={records}
        whyNot={(column) => whyNotPut(type, column)}
        onFind={(text) => onOpen({ paste: text })}
        onPut={(column, values) => {
          const edit = { kind: 'put', field: column, values } as const;
          onChange({
            edits: [...draft.edits.filter((e) => e.field && e.field !== column), edit],
            picked: Object.keys(values),
            allPicked: false,
            dropped: [],
            panel: true,
          });
          onOpen(null);
        }}
        onClose={() => onOpen(null)}
      />
    </>
  );
}

function whyNotPut(type: TypeView, column: string): string | null {
  if (type.notChangeable !== null) return type.notChangeable;
  const field = type.fields.find((f) => f.name === column);
  if (!field) return 'Values are put into fields of the records themselves.';
  return field.notEditable && `Not changeable: ${field.notEditable}`;
}
