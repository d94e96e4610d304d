import type { FoundRecord } from '@tantamos/contract';
import { Button } from '../components/Button';
import { counted, number } from '../components/format';
import { Sheet } from '../components/Sheet';

interface Props {
  pasted: { lines: string; at: { record: number; column: string } } | null;
  records: readonly FoundRecord[];
  label: (column: string) => string;
  /** Why values cannot be put into this column; null where they can. */
  whyNot: (column: string) => string | null;
  onFind: (text: string) => void;
  onPut: (column: string, values: Readonly<Record<string, string>>) => void;
  onClose: () => void;
}

/** Several lines were pasted onto the grid: to be found, or values for the rows from here on down? It is asked, not guessed. */
export function PastedLines({ pasted, ...rest }: Props) {
  const lines = pasted ? linesOf(pasted.lines) : [];
  return (
    <Sheet
      open={pasted !== null}
      onClose={rest.onClose}
      title="What are these lines?"
      about={`You pasted ${counted(lines.length, 'line')}.`}
      width="w-140"
    >
      {pasted && <Question pasted={pasted} lines={lines} {...rest} />}
    </Sheet>
  );
}

function Question({
  pasted,
  lines,
  records,
  label,
  whyNot,
  onFind,
  onPut,
}: Props & { pasted: NonNullable<Props['pasted']>; lines: readonly string[] }) {
  const { record, column } = pasted.at;
  const rows = records.slice(record, record + lines.length);
  // A blank line leaves its record as it is.
  const values = Object.fromEntries(
    rows.flatMap((r, i) => (r.key !== null && lines[i]!.trim() !== '' ? [[r.key, lines[i]!.trim()]] : [])),
  );
  const not =
    whyNot(column) ?? (rows.length < lines.length ? `There are only ${number(rows.length)} rows from here on.` : null);
  return (
    <div className="space-y-3 p-4">
      <pre className="max-h-32 overflow-auto rounded border border-line bg-sunken p-2 font-mono text-xs">
        {lines.slice(0, 6).join('\n')}
        {lines.length > 6 ? '\n…' : ''}
      </pre>
      <div className="flex flex-wrap items-center gap-2">
        <Button main onClick={() => onFind(pasted.lines)}>
          Find these
        </Button>
        <Button disabled={not !== null} onClick={() => onPut(column, values)}>
          Put these values into {label(column)} of rows {number(record + 1)} to {number(record + rows.length)}
        </Button>
      </div>
      <p className="text-quiet">
        {not ?? 'Nothing is changed yet: it becomes an edit of the job, with a preview like any other.'}
      </p>
    </div>
  );
}

function linesOf(text: string): string[] {
  return text.replace(/\r?\n$/, '').split(/\r?\n/);
}
