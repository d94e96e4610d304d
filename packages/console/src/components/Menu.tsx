import { Popover } from 'radix-ui';
import { useState, type ReactNode } from 'react';

interface Props {
  label: string;
  icon?: ReactNode;
  width?: string;
  children: (close: () => void) => ReactNode;
}

/** A button that opens a small panel beneath it. */
export function Menu({ label, icon, width = 'w-80', children }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="inline-flex h-8 items-center gap-1.5 rounded border border-line-strong bg-sheet px-2.5 whitespace-nowrap hover:bg-sunken">
        {icon} {label}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          aria-label={label}
          className={`z-40 max-h-[80vh] max-w-[calc(100vw-1rem)] overflow-auto rounded border border-line-strong bg-sheet p-3 shadow-lg ${width}`}
        >
          {children(() => setOpen(false))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

export const menuItem =
  'flex w-full items-center justify-between gap-3 rounded px-2 py-1 text-left hover:bg-accent-soft focus-visible:bg-accent-soft';
