import type { SelectionParts } from '@tantamos/contract';
import type { Expression } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { PinOff } from 'lucide-react';
import { number } from '../components/format';
import { isOneOf } from './conditions';
import type { FieldChoice } from './fields';
import { queries } from '../queries';

interface Props {
  type: string;
  parts: SelectionParts;
  pinned: readonly FieldChoice[];
  onNarrow: (condition: Expression) => void;
  onOpen: (choice: FieldChoice) => void;
  onUnpin: (choice: FieldChoice) => void;
}

/** The most frequent values of up to three fields, always in sight; a press keeps one. */
export function PinnedStrip({ type, parts, pinned, onNarrow, onOpen, onUnpin }: Props) {
  const asked = { fields: pinned.map((p) => p.path), most: 8 };
  const found = useQuery({ ...queries.values(type, parts, asked), enabled: pinned.length > 0, retry: false });
  if (pinned.length === 0) return null;
  return (
    <div className="space-y-1" aria-label="Pinned values" role="region">
      {pinned.map((choice) => {
        const values = found.data?.find((v) => v.field === choice.path);
        return (
          <div key={choice.path} className="flex items-center gap-1.5 overflow-hidden">
            <button
              type="button"
              onClick={() => onOpen(choice)}
              className="w-28 shrink-0 truncate text-left text-quiet hover:text-accent"
            >
              {choice.label}
            </button>
            <div className={`flex min-w-0 flex-1 gap-1 overflow-hidden ${found.isPlaceholderData ? 'opacity-60' : ''}`}>
              {values?.values.map((v) => (
                <button
                  key={v.value ?? ' '}
                  type="button"
                  onClick={() => onNarrow(isOneOf(choice.path, choice.field, [v.value]))}
                  className="flex h-6.5 max-w-48 shrink-0 items-center gap-1.5 rounded border border-line bg-sheet px-2 text-xs hover:border-accent"
                >
                  <span className={`truncate ${v.value === null ? 'text-quiet italic' : ''}`}>
                    {v.label ?? v.value ?? 'blank'}
                  </span>
                  <span className="text-quiet">{number(v.count)}</span>
                </button>
              ))}
            </div>
            <button
              type="button"
              aria-label={`Unpin ${choice.label}`}
              onClick={() => onUnpin(choice)}
              className="grid size-6.5 shrink-0 place-items-center rounded text-quiet hover:bg-sunken"
            >
              <PinOff className="size-3.5" aria-hidden="true" />
            </button>
          </div>
        );
      })}
    </div>
  );
}
