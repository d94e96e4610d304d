import { Dialog } from 'radix-ui';
import { useState, type FormEvent, type ReactNode } from 'react';
import { Button } from './Button';
import { number } from './format';
import { Labelled, textInput } from './inputs';

/** Where much is at stake the number itself must be typed before anything starts. */
export function TypeNumber({
  count,
  title,
  open,
  onClose,
  onTyped,
  children,
}: {
  count: number;
  /** “34 records will be deleted” */
  title: string;
  open: boolean;
  onClose: () => void;
  onTyped: () => void;
  children: ReactNode;
}) {
  const [typed, setTyped] = useState('');
  const right = Number(typed.replace(/\D/g, '')) === count && typed.trim() !== '';
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    if (right) onTyped();
  };
  return (
    <Dialog.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-[#0008]" />
        <Dialog.Content className="fixed top-1/3 left-1/2 z-50 w-110 -translate-x-1/2 -translate-y-1/3 rounded-lg border border-line bg-sheet p-6">
          <form onSubmit={submit} className="space-y-4">
            <Dialog.Title className="text-base font-semibold">{title}</Dialog.Title>
            <Dialog.Description className="text-quiet">{children}</Dialog.Description>
            <Labelled label={`Type ${number(count)} to start`}>
              {(id) => (
                <input
                  id={id}
                  inputMode="numeric"
                  autoFocus
                  className={textInput}
                  value={typed}
                  onChange={(e) => setTyped(e.target.value)}
                />
              )}
            </Labelled>
            <div className="flex justify-end gap-2">
              <Button onClick={onClose}>Cancel</Button>
              <Button main type="submit" disabled={!right}>
                Start
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
