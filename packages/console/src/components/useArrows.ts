import { useRef, useState, type KeyboardEvent, type RefObject } from 'react';

interface Arrows {
  /** Place of the one that the keys are at. */
  readonly at: number;
  setAt(at: number): void;
  /** The list whose children are the options, in order. */
  readonly list: RefObject<HTMLUListElement | null>;
  onKey(event: KeyboardEvent): void;
}

/** A list beneath the box that is typed in: arrows move through `count` options, and Enter takes the one they are at. */
export function useArrows(count: number, onTake: (at: number) => void): Arrows {
  const [at, setAt] = useState(0);
  const list = useRef<HTMLUListElement>(null);
  const move = (to: number): void => {
    const next = Math.max(0, Math.min(count - 1, to));
    setAt(next);
    list.current?.children[next]?.scrollIntoView({ block: 'nearest' });
  };
  const onKey = (event: KeyboardEvent): void => {
    if (event.key === 'ArrowDown') move(at + 1);
    else if (event.key === 'ArrowUp') move(at - 1);
    else if (event.key === 'Enter') onTake(at);
    else return;
    event.preventDefault();
  };
  return { at, setAt, list, onKey };
}
