import { isDay } from '@tantamos/core';
import { CalendarDays } from 'lucide-react';
import { useRef, useState, type ComponentProps } from 'react';

interface Props extends Omit<ComponentProps<'input'>, 'value' | 'onChange' | 'type'> {
  readonly value: string;
  /** Every text as it is typed; with `whole` only a day there is, or nothing. */
  readonly onChange: (text: string) => void;
  readonly whole?: boolean;
}

/** A day, typed or pasted as 2026-12-31 whatever the browser's own order is, or taken from its calendar. */
export function DateBox({ value, onChange, whole = false, className, ...rest }: Props) {
  const [typedOn, setTypedOn] = useState({ value, text: value });
  // What was typed stands until the value becomes another by itself.
  const text = typedOn.value === value ? typedOn.text : value;
  const calendar = useRef<HTMLInputElement>(null);
  const isWrong = text !== '' && !isDay(text);
  const take = (next: string): void => {
    const typed = next.trim();
    const isTaken = !whole || typed === '' || isDay(typed);
    setTypedOn({ value: isTaken ? typed : value, text: typed });
    if (isTaken) onChange(typed);
  };
  return (
    <span className="relative inline-flex w-full min-w-36">
      <input
        {...rest}
        type="text"
        placeholder="YYYY-MM-DD"
        autoComplete="off"
        spellCheck={false}
        aria-invalid={isWrong || undefined}
        title={isWrong ? 'A day is entered as YYYY-MM-DD, such as 2026-12-31.' : undefined}
        className={`pr-8 ${className ?? ''}`}
        value={text}
        onChange={(e) => take(e.target.value)}
      />
      <input
        ref={calendar}
        type="date"
        tabIndex={-1}
        aria-hidden="true"
        className="pointer-events-none absolute right-1 bottom-0 size-px opacity-0"
        value={isDay(text) ? text : ''}
        onChange={(e) => take(e.target.value)}
      />
      <button
        type="button"
        aria-label="Open the calendar"
        className="absolute inset-y-0 right-0 grid w-8 place-items-center text-quiet hover:text-ink"
        onClick={() => calendar.current?.showPicker()}
      >
        <CalendarDays className="size-4" aria-hidden="true" />
      </button>
    </span>
  );
}
