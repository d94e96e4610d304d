import { Popover } from 'radix-ui';
import type { KeyboardEvent } from 'react';
import { Button } from '../components/Button';
import { number } from '../components/format';

interface Props {
  /** How many are picked, and how many of them are not in sight. */
  count: number;
  unseen: number;
  onOne: () => void;
  onAll: () => void;
  onCancel: () => void;
}

/** Something was typed into one of several picked records: is it meant for this one, or for all of them? */
export function SamePicked({ count, unseen, onOne, onAll, onCancel }: Props) {
  const onKey = (event: KeyboardEvent): void => {
    event.stopPropagation();
    const buttons = [...event.currentTarget.querySelectorAll('button')];
    const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (step) buttons[buttons.indexOf(event.target as HTMLButtonElement) + step]?.focus();
  };
  return (
    <Popover.Root open onOpenChange={(open) => !open && onCancel()}>
      <Popover.Anchor className="absolute inset-0" />
      <Popover.Portal>
        <Popover.Content
          aria-label="For which records"
          align="start"
          sideOffset={4}
          collisionPadding={8}
          className="z-30 flex gap-2 rounded border border-line-strong bg-sheet p-2 shadow-lg"
          onKeyDown={onKey}
          onCloseAutoFocus={(event) => event.preventDefault()}
        >
          <Button onClick={onOne}>This one</Button>
          <Button onClick={onAll}>
            All {Number.isFinite(count) ? number(count) : ''} picked
            {unseen > 0 ? ` (${number(unseen)} not in sight)` : ''}
          </Button>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
