import type { TypeView } from '@tantamos/contract';
import { ChevronRight, ChevronUp } from 'lucide-react';
import { ToggleGroup } from 'radix-ui';
import { lazy, Suspense, useState } from 'react';
import { LinkButton } from '../components/Button';
import { problemsOf } from '../components/Problems';
import type { FieldChoice } from './fields';
import { FilterRows } from './FilterRows';
import { rowsOf, type Group } from './rows';

const FilterEditor = lazy(() => import('./FilterEditor'));

interface Props {
  type: TypeView;
  fields: readonly FieldChoice[];
  filter: string;
  open: boolean;
  onOpen: (open: boolean) => void;
  mode: 'rows' | 'text';
  onMode: (mode: 'rows' | 'text') => void;
  onFilter: (filter: string) => void;
  /** The same, and on to what is to change. */
  onGoOn: (filter: string) => void;
  error: unknown;
}

/** The filter, as rows or as text: two views of one thing. A text that cannot be read yet can only be shown as text. */
export function FilterPanel({ type, fields, filter, open, onOpen, mode, onMode, onFilter, onGoOn, error }: Props) {
  const problems = error ? problemsOf(error).filter((p) => p.where === undefined || p.where.startsWith('filter')) : [];
  // What rows cannot say as it is being typed lives here until it can be said.
  const [rows, setRows] = useState<{ filter: string; group: Group | null }>({ filter: '\0', group: null });
  const [switched, setSwitched] = useState(false);
  if (rows.filter !== filter) setRows({ filter, group: readRows(filter, fields) });
  const shown = mode === 'rows' && rows.group === null ? 'text' : mode;
  // A mistake is never folded away.
  if (!open && problems.length === 0)
    return (
      <LinkButton className="inline-flex items-center gap-1 text-xs" onClick={() => onOpen(true)} aria-expanded={false}>
        <ChevronRight className="size-3.5" aria-hidden="true" /> Filter
      </LinkButton>
    );
  return (
    <div className="flex items-start gap-3">
      <ToggleGroup.Root
        type="single"
        value={shown}
        onValueChange={(next) => {
          if (!next) return;
          setSwitched(true);
          onMode(next as 'rows' | 'text');
        }}
        aria-label="Filter as"
        className="flex shrink-0 rounded border border-line-strong"
      >
        {(['rows', 'text'] as const).map((m) => (
          <ToggleGroup.Item
            key={m}
            value={m}
            disabled={m === 'rows' && rows.group === null}
            title={m === 'rows' && rows.group === null ? 'Mend the text first: it cannot be read' : undefined}
            className="h-7.5 w-12 text-quiet first:rounded-l last:rounded-r data-[state=on]:bg-accent-soft data-[state=on]:font-medium data-[state=on]:text-ink"
          >
            {m === 'rows' ? 'Rows' : 'Text'}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      <div className="min-w-0 flex-1">
        {shown === 'rows' ? (
          <FilterRows
            key={type.id}
            group={rows.group!}
            fields={fields}
            problems={problems}
            onChange={(group, text) => {
              setRows({ filter: text, group });
              if (text !== filter) onFilter(text);
            }}
          />
        ) : (
          <Suspense fallback={<div className="h-8 rounded border border-line-strong bg-sheet" />}>
            <FilterEditor
              type={type}
              fields={fields}
              filter={filter}
              onApply={onFilter}
              onGoOn={onGoOn}
              problems={problems}
              focused={switched}
            />
          </Suspense>
        )}
      </div>
      {filter.trim() !== '' && (
        <button
          type="button"
          aria-label="Fold the filter away"
          title="Fold away"
          aria-expanded={true}
          onClick={() => onOpen(false)}
          className="grid size-7.5 shrink-0 place-items-center rounded text-quiet hover:bg-sunken hover:text-ink"
        >
          <ChevronUp className="size-4" aria-hidden="true" />
        </button>
      )}
    </div>
  );
}

function readRows(filter: string, fields: readonly FieldChoice[]): Group | null {
  try {
    return rowsOf(filter, fields);
  } catch {
    return null;
  }
}
