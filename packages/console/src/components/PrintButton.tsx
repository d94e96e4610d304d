import { Printer } from 'lucide-react';
import { Button } from './Button';

/** Prints what the page says: its sentence, its totals and the records in sight, without bars and buttons. */
export function PrintButton() {
  return (
    <Button onClick={() => print()}>
      <Printer className="size-4 text-quiet" aria-hidden="true" /> Print
    </Button>
  );
}
