import type { Found } from '@tantamos/contract';
import { ArrowDown, ArrowUp, ChartBarBig } from 'lucide-react';
import { useRef, type KeyboardEvent, type PointerEvent } from 'react';

interface Props {
  column: Found['columns'][number];
  sort: readonly string[];
  onSort: (sort: readonly string[]) => void;
  width: number;
  onWidth: (width: number) => void;
  onValues: () => void;
}

/** A column's name: a press sorts by it (with Shift as a further order), beside it its values, at its edge its width. */
export function Heading({ column, sort, onSort, width, onWidth, onValues }: Props) {
  const { name, label, kind } = column;
  const place = sort.findIndex((s) => s.replace(/^-/, '') === name);
  const down = place >= 0 && sort[place]!.startsWith('-');
  const press = (more: boolean): void => {
    const next = place < 0 ? name : down ? null : `-${name}`;
    const others = more ? sort.filter((_, i) => i !== place) : [];
    onSort(
      next === null ? others : place >= 0 && more ? sort.map((s, i) => (i === place ? next : s)) : [...others, next],
    );
  };
  return (
    <th
      className="group relative h-8 border-b border-line pr-1.5 pl-3 text-left font-medium whitespace-nowrap"
      aria-sort={place < 0 ? undefined : down ? 'descending' : 'ascending'}
    >
      <span className={`flex items-center gap-1 ${kind === 'number' ? 'flex-row-reverse' : ''}`}>
        <button
          type="button"
          onClick={(e) => press(e.shiftKey)}
          className="inline-flex min-w-0 items-center gap-1 hover:text-accent"
          title={`Sort by ${label}; with Shift as a further order`}
        >
          <span className="truncate">{label}</span>
          {place >= 0 &&
            (down ? (
              <ArrowDown className="size-3.5 shrink-0" aria-hidden="true" />
            ) : (
              <ArrowUp className="size-3.5 shrink-0" aria-hidden="true" />
            ))}
          {place >= 0 && sort.length > 1 && <span className="text-xs text-quiet">{place + 1}</span>}
        </button>
        {kind !== 'other' && kind !== 'json' && (
          <button
            type="button"
            onClick={onValues}
            aria-label={`Values of ${label}`}
            title={`Values of ${label}`}
            className="grid size-5.5 shrink-0 place-items-center rounded text-quiet opacity-60 group-hover:opacity-100 hover:bg-sheet hover:text-accent focus-visible:opacity-100"
          >
            <ChartBarBig className="size-3.5" aria-hidden="true" />
          </button>
        )}
      </span>
      <Edge label={label} width={width} onWidth={onWidth} />
    </th>
  );
}

/** The edge to drag; with the keyboard, arrows left and right. */
function Edge({ label, width, onWidth }: { label: string; width: number; onWidth: (width: number) => void }) {
  const from = useRef<{ x: number; width: number } | null>(null);
  const set = (next: number): void => onWidth(Math.max(60, Math.min(800, Math.round(next))));
  const move = (e: PointerEvent): void => {
    if (from.current) set(from.current.width + e.clientX - from.current.x);
  };
  const onKey = (e: KeyboardEvent): void => {
    if (e.key === 'ArrowLeft') set(width - 16);
    else if (e.key === 'ArrowRight') set(width + 16);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <span
      role="separator"
      aria-orientation="vertical"
      aria-label={`Width of ${label}`}
      aria-valuenow={width}
      aria-valuemin={60}
      aria-valuemax={800}
      tabIndex={0}
      onKeyDown={onKey}
      onPointerDown={(e) => {
        from.current = { x: e.clientX, width };
        e.currentTarget.setPointerCapture(e.pointerId);
      }}
      onPointerMove={move}
      onPointerUp={() => (from.current = null)}
      className="absolute inset-y-1 right-0 w-1.5 cursor-col-resize border-r border-line hover:border-accent focus-visible:border-accent"
    />
  );
}
