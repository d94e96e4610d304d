import { X } from 'lucide-react';
import { Dialog } from 'radix-ui';
import type { ReactNode } from 'react';

interface Props {
  open: boolean;
  onClose: () => void;
  title: ReactNode;
  /** What it is for, in a sentence. */
  about?: string;
  /** A drawer on the right, or a sheet in the middle. */
  side?: 'right' | 'middle';
  width?: string;
  children: ReactNode;
}

/** Something laid over the page: Escape (but in an expression) or the cross closes it, focus stays inside and goes back after. */
export function Sheet({ open, onClose, title, about, side = 'middle', width, children }: Props) {
  const place =
    side === 'right'
      ? `inset-y-0 right-0 ${width ?? 'w-100'} border-l`
      : `top-[6vh] left-1/2 max-h-[88vh] -translate-x-1/2 rounded-md border ${width ?? 'w-200'}`;
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-black/35" />
        <Dialog.Content
          {...(about ? {} : { 'aria-describedby': undefined })}
          onEscapeKeyDown={(e) => {
            // In an expression it closes the list of completions, not all that has been typed.
            if ((e.target as Element).closest('.cm-editor')) e.preventDefault();
          }}
          className={`fixed z-30 flex max-w-full flex-col border-line-strong bg-sheet shadow-xl ${place}`}
        >
          <div className="flex shrink-0 items-start justify-between gap-4 border-b border-line px-4 py-2.5">
            <div>
              <Dialog.Title className="text-sm font-semibold">{title}</Dialog.Title>
              {about && <Dialog.Description className="text-quiet">{about}</Dialog.Description>}
            </div>
            <Dialog.Close
              aria-label="Close"
              className="grid size-7 place-items-center rounded text-quiet hover:bg-sunken hover:text-ink"
            >
              <X className="size-4" aria-hidden="true" />
            </Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
