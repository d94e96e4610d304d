import { separatorOf, withoutHeading } from '@tantamos/core';
import { parse } from 'csv-parse/browser/esm/sync';
import { useMemo, useState } from 'react';
import { Button, LinkButton } from '../../components/Button';
import { number } from '../../components/format';
import { Labelled } from '../../components/inputs';

interface Props {
  /** What the two columns are. */
  columns: readonly [string, string];
  /** What else may stand above the first of them. */
  headings: readonly string[];
  onTake: (rows: readonly (readonly string[])[]) => void;
  onClose: () => void;
}

/** Lines as they come out of a spreadsheet or a CSV file, of two columns. */
export default function PasteLines({ columns, headings, onTake, onClose }: Props) {
  const [text, setText] = useState('');
  const [trouble, setTrouble] = useState<string | null>(null);
  // A file may be too long to be shown as a text.
  const [file, setFile] = useState<string | null>(null);
  const all = useMemo(() => rowsOf(file ?? text), [file, text]);
  const rows = withoutHeading(all, [columns[0], ...headings]);
  const found = rows.filter((row) => row.length >= columns.length);
  const short = rows.length - found.length;
  const read = (chosen: File | undefined): void => {
    setTrouble(null);
    setFile(null);
    if (!chosen) return;
    if (chosen.size > largestFile) return setTrouble(`${chosen.name} has more than ${number(largestFile / 1e6)} MB.`);
    chosen.text().then(setFile, () => setTrouble(`${chosen.name} could not be read.`));
  };
  return (
    <div className="space-y-2 rounded border border-line bg-sunken p-2">
      <Labelled label={`Lines of ${columns.join(' and ')}, with a tab, comma or semicolon between`}>
        {(id) => (
          <textarea
            id={id}
            autoFocus
            spellCheck={false}
            rows={4}
            className="w-full rounded border border-line-strong bg-sheet p-2 font-mono text-xs"
            value={text}
            disabled={file !== null}
            onChange={(e) => setText(e.target.value)}
          />
        )}
      </Labelled>
      <Labelled label="or a CSV file">
        {(id) => (
          <input
            id={id}
            type="file"
            accept=".csv,.tsv,.txt,text/csv,text/plain"
            className="w-full text-xs"
            onChange={(e) => read(e.target.files?.[0])}
          />
        )}
      </Labelled>
      {trouble && (
        <p role="alert" className="text-trouble">
          {trouble}
        </p>
      )}
      {short > 0 && (
        <p role="status" className="text-trouble">
          {number(short)} {short === 1 ? 'line has' : 'lines have'} no second column and {short === 1 ? 'is' : 'are'}{' '}
          left out.
        </p>
      )}
      <p className="flex items-center gap-3">
        <Button main disabled={found.length === 0} onClick={() => onTake(found)}>
          Take {number(found.length)} {found.length === 1 ? 'line' : 'lines'}
        </Button>
        <LinkButton onClick={onClose}>Close</LinkButton>
      </p>
    </div>
  );
}

const largestFile = 50_000_000;

function rowsOf(text: string): readonly (readonly string[])[] {
  try {
    return parse(text, {
      bom: true,
      skip_empty_lines: true,
      relax_column_count: true,
      relax_quotes: true,
      delimiter: separatorOf(text),
    }) as string[][];
  } catch {
    // A quote that is still open, as while typing.
    return [];
  }
}
