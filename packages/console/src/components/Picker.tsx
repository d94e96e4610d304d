import { ChevronDown } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useId, useRef, useState, type KeyboardEvent, type ReactNode } from 'react';
import { number } from './format';
import { textInput } from './inputs';
import { useArrows } from './useArrows';

export interface Option {
  readonly id: string;
  readonly label: string;
  /** Searched besides the label: name, comment. */
  readonly more?: string;
  readonly note?: ReactNode;
  /** A line beneath the label. */
  readonly about?: string;
  /** Why it cannot be chosen. */
  readonly not?: string | null;
}

interface Props {
  /** What is chosen here, for people who do not see the layout. */
  label: string;
  shown: ReactNode;
  options: readonly Option[];
  value: string | null;
  onPick: (id: string) => void;
  className?: string;
  /** Called as the person types, where the options come from a search. */
  onSearch?: (text: string) => void;
  /** What is offered where none of the options fits what was typed. */
  further?: () => readonly Option[];
  /** Said in the empty box. */
  hint?: string;
  /** Where the cursor goes once something is taken; back to the button otherwise. */
  next?: () => HTMLElement | null | undefined;
  /** Open from the first, with the cursor in it: it stands for what was just added. */
  isNew?: boolean;
}

/** Of a long list, those that are drawn. */
export const mostShown = 200;

/** What a long list leaves out is said, and how to come by it. */
export function MoreFit({ count }: { count: number }) {
  if (count <= 0) return null;
  return <li className="px-2 py-1 text-quiet">{number(count)} more. Type part of the name.</li>;
}

const intoView = (element: HTMLElement | null): void => element?.scrollIntoView({ block: 'nearest' });

/** A button that opens a list to search by typing; arrows move, Enter takes, Escape closes. */
export function Picker(props: Props) {
  const { label, shown, options, value, onPick, className = '', onSearch, further, isNew = false } = props;
  const [open, setOpen] = useState(isNew);
  const [text, setText] = useState('');
  const taken = useRef(false);
  const id = useId();
  const plain = fitting(options, text);
  const all = plain.length === 0 && further ? fitting(further(), text) : plain;
  const found = all.slice(0, mostShown);
  const take = (option: Option | undefined): void => {
    if (!option || option.not) return;
    taken.current = true;
    setOpen(false);
    onPick(option.id);
  };
  const { at, setAt, list, onKey } = useArrows(found.length, (i) => take(found[i]));
  const search = (typed: string): void => {
    setText(typed);
    setAt(0);
    onSearch?.(typed);
  };
  /** What is typed on the button is looked for. */
  const onTyped = (event: KeyboardEvent): void => {
    if (event.key.length !== 1 || event.key === ' ' || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    setOpen(true);
    search(open ? text + event.key : event.key);
  };
  const onClosed = (event: Event): void => {
    const place = taken.current ? props.next?.() : null;
    taken.current = false;
    if (!place) return;
    event.preventDefault();
    place.focus();
  };
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        setOpen(next);
        if (!next) return;
        search('');
        // What is chosen is where the arrows begin.
        setAt(
          Math.max(
            0,
            fitting(options, '')
              .slice(0, mostShown)
              .findIndex((o) => o.id === value),
          ),
        );
      }}
    >
      <Popover.Trigger
        onKeyDown={onTyped}
        className={`inline-flex h-8 min-w-0 items-center justify-between gap-1.5 rounded border border-line-strong bg-sheet px-2 text-left hover:bg-sunken ${className}`}
      >
        <span className="truncate">
          <span className="sr-only">{label}: </span>
          {shown}
        </span>
        <ChevronDown className="size-4 shrink-0 text-quiet" aria-hidden="true" />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          onCloseAutoFocus={onClosed}
          className="z-40 w-80 rounded border border-line-strong bg-sheet p-1.5 shadow-lg"
        >
          <input
            role="combobox"
            aria-label={`${label}: search`}
            aria-expanded="true"
            aria-controls={id}
            aria-activedescendant={found[at] ? `${id}-${at}` : undefined}
            className={textInput}
            placeholder={props.hint ?? 'Type to search'}
            value={text}
            onChange={(e) => search(e.target.value)}
            onKeyDown={onKey}
          />
          <ul ref={list} id={id} role="listbox" aria-label={label} className="mt-1.5 max-h-72 overflow-auto">
            {found.map((o, i) => (
              <li
                key={o.id}
                ref={o.id === value ? intoView : undefined}
                id={`${id}-${i}`}
                role="option"
                aria-selected={o.id === value}
                aria-disabled={Boolean(o.not)}
                onClick={() => take(o)}
                onMouseMove={() => setAt(i)}
                className={`rounded px-2 py-1 ${i === at ? 'bg-accent-soft' : ''} ${o.not ? 'text-quiet' : 'cursor-pointer'} ${o.id === value ? 'font-medium' : ''}`}
              >
                <span className="flex justify-between gap-3">
                  <span className="min-w-0 wrap-anywhere">{o.label}</span>
                  {o.note && <span className="shrink-0 text-quiet">{o.note}</span>}
                </span>
                {o.about && <span className="block text-xs font-normal text-quiet">{o.about}</span>}
                {o.not && <span className="block text-xs">{o.not}</span>}
              </li>
            ))}
            <MoreFit count={all.length - found.length} />
            {found.length === 0 && <li className="px-2 py-1 text-quiet">Nothing fits “{text}”.</li>}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/**
 * Options with every word typed somewhere in them: first where the label begins so, then where it holds it, then where it
 * begins with the first of the words, then the rest.
 */
export function fitting<O extends Pick<Option, 'id' | 'label' | 'more'>>(options: readonly O[], text: string): O[] {
  const typed = text.toLowerCase().trim();
  const words = typed.split(/\s+/).filter(Boolean);
  const rank = ({ label }: O): number => {
    const small = label.toLowerCase();
    const at = small.indexOf(typed);
    if (at >= 0) return at === 0 ? 0 : 1;
    return small.startsWith(words[0]!) ? 2 : 3;
  };
  return options
    .filter((o) => words.every((w) => `${o.label} ${o.id} ${o.more ?? ''}`.toLowerCase().includes(w)))
    .map((option) => ({ option, rank: rank(option) }))
    .sort((a, b) => a.rank - b.rank)
    .map((r) => r.option);
}
