import type { FieldView, Value } from '@tantamos/contract';
import { useRef, useState, type FocusEvent, type KeyboardEvent } from 'react';
import { ValueInput } from '../job/ValueInput';
import { fitting, shownAs } from './cells';

export type Move = 'down' | 'right' | 'left' | 'stay';

interface Props {
  field: FieldView;
  /** What stands there now, pending or not. */
  value: Value;
  /** What was typed on the cell, where the editor was opened by typing. */
  typed: string | null;
  onDone: (value: string | null, shown: string | null, move: Move) => void;
  onCancel: () => void;
}

/** The editor of one cell, over it: Enter and Tab take what is said, Escape leaves the cell as it was. */
export function CellEditor({ field, value, typed, onDone, onCancel }: Props) {
  const [text, setText] = useState(typed ?? value.value ?? '');
  const [trouble, setTrouble] = useState<string | null>(null);
  const frame = useRef<HTMLDivElement>(null);
  const over = useRef(false);
  const take = (said: string, move: Move, shown?: string): void => {
    if (over.current) return;
    try {
      const fits = fitting(field, said);
      over.current = true;
      const same = fits === value.value ? value.label : undefined;
      onDone(fits, fits === null ? null : (shown ?? same ?? shownAs(field, fits)), move);
    } catch (error) {
      setTrouble((error as Error).message);
    }
  };
  const onKey = (event: KeyboardEvent): void => {
    // The grid's own keys are for the grid.
    event.stopPropagation();
    if (event.key === 'Escape') {
      over.current = true;
      onCancel();
    } else if (event.key === 'Enter' && field.refersTo === null) take(text, 'down');
    else if (event.key === 'Tab') take(text, event.shiftKey ? 'left' : 'right');
    else return;
    event.preventDefault();
  };
  // Who goes on elsewhere has said what they meant; a list that opens over the page is still the editor.
  const onBlur = (event: FocusEvent): void => {
    const next = event.relatedTarget as HTMLElement | null;
    if (frame.current?.contains(next) || next?.closest('[data-radix-popper-content-wrapper]')) return;
    // Of a record that was not taken nothing was said.
    if (field.refersTo !== null) return next ? onCancel() : undefined;
    if (trouble === null) take(text, 'stay');
  };
  const change = (next: string, shown?: string): void => {
    setText(next);
    setTrouble(null);
    // A record or a choice that was taken is meant.
    if (field.refersTo !== null) take(next, 'stay', shown);
  };
  return (
    <div
      ref={frame}
      className="absolute -inset-px z-20 min-w-52 bg-sheet text-left shadow-lg"
      onKeyDown={onKey}
      onBlur={onBlur}
      onMouseDown={(e) => e.stopPropagation()}
    >
      <ValueInput field={field} value={text} onChange={change} isNew />
      {(trouble !== null || (field.refersTo !== null && !field.required && value.value !== null)) && (
        <div className="border border-line-strong bg-sheet px-2 py-1 text-xs whitespace-normal shadow-lg">
          {trouble !== null ? (
            <span role="alert" className="text-trouble">
              {trouble}
            </span>
          ) : (
            <button type="button" className="underline underline-offset-2" onClick={() => take('', 'stay')}>
              Leave it blank
            </button>
          )}
        </div>
      )}
    </div>
  );
}
