import { Button } from '../components/Button';
import { counted } from '../components/format';
import { Sheet } from '../components/Sheet';

interface Props {
  pasted: { lines: string; at: { record: number; column: string } } | null;
  label: (column: string) => string;
  onFind: (text: string) => void;
  onClose: () => void;
}

/** Several lines were pasted onto the grid: to be found, most likely; nothing is guessed. */
export function PastedLines({ pasted, label, onFind, onClose }: Props) {
  const lines = pasted ? pasted.lines.replace(/\r?\n$/, '').split(/\r?\n/) : [];
  return (
    <Sheet
      open={pasted !== null}
      onClose={onClose}
      title="What are these lines?"
      about={`You pasted ${counted(lines.length, 'line')}.`}
      width="w-120"
    >
      {pasted && (
        <div className="space-y-3 p-4">
          <pre className="max-h-32 overflow-auto rounded border border-line bg-sunken p-2 font-mono text-xs">
            {lines.slice(0, 6).join('\n')}
            {lines.length > 6 ? '\n…' : ''}
          </pre>
          <div className="flex gap-2">
            <Button main onClick={() => onFind(pasted.lines)}>
              Find these
            </Button>
            <Button onClick={onClose} aria-label={`Cancel; leave ${label(pasted.at.column)} as it is`}>
              Cancel
            </Button>
          </div>
        </div>
      )}
    </Sheet>
  );
}
