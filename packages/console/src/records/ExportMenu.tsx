import type { ExportBody, SelectionParts } from '@tantamos/contract';
import { useMutation } from '@tanstack/react-query';
import { Download } from 'lucide-react';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { api } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { number } from '../components/format';
import { Menu } from '../components/Menu';
import { Problems } from '../components/Problems';

interface Props {
  type: string;
  parts: SelectionParts;
  columns: readonly string[];
  sort: readonly string[];
  /** Address of the page to print. */
  printPage: string;
}

const formats = { csv: 'CSV', xlsx: 'Spreadsheet (XLSX)', jsonl: 'JSON Lines' } as const;

/** The whole set as a file, with a bar while it comes; or on paper. */
export function ExportMenu({ type, parts, columns, sort, printPage }: Props) {
  const [format, setFormat] = useState<keyof typeof formats>('csv');
  const [look, setLook] = useState({
    semicolon: false,
    bom: false,
    decimalComma: false,
    raw: false,
    stored: false,
    signed: false,
  });
  const [progress, setProgress] = useState<{ done: number; of: number } | null>(null);
  const away = useRef<AbortController>(null);
  const take = useMutation({
    mutationFn: async () => {
      const { semicolon, bom, decimalComma, raw, stored, signed } = look;
      const body: ExportBody = {
        ...parts,
        format,
        columns: [...columns],
        sort: [...sort],
        stored,
        signed,
        ...(format === 'csv' ? { separator: semicolon ? ';' : ',', bom, decimalComma, raw } : {}),
      };
      away.current = new AbortController();
      const { count: told, bytes } = await api.files.exportRecords(type, body, { signal: away.current.signal });
      const count = told ?? 0;
      const pieces = await gather(bytes, format === 'xlsx' ? 0 : count, setProgress);
      save(new Blob(pieces), `${type}.${format}`);
      return count;
    },
    onSettled: () => setProgress(null),
  });
  const option = (name: keyof typeof look, label: string) => (
    <label key={name} className="flex items-center gap-1.5">
      <input
        type="checkbox"
        className="accent-accent"
        checked={look[name]}
        onChange={(e) => setLook({ ...look, [name]: e.target.checked })}
      />
      {label}
    </label>
  );
  return (
    <Menu label="Download" icon={<Download className="size-4 text-quiet" aria-hidden="true" />}>
      {() => (
        <div className="space-y-3">
          <div role="radiogroup" aria-label="Format" className="space-y-1">
            {(Object.keys(formats) as (keyof typeof formats)[]).map((f) => (
              <label key={f} className="flex items-center gap-1.5">
                <input
                  type="radio"
                  name="format"
                  className="accent-accent"
                  checked={format === f}
                  onChange={() => setFormat(f)}
                />
                {formats[f]}
              </label>
            ))}
          </div>
          <div className="space-y-1 border-t border-line pt-2">
            {format === 'csv' && [
              option('semicolon', 'semicolons between cells'),
              option('decimalComma', 'decimal comma'),
              option('bom', 'byte order mark first'),
              option('raw', 'leave cells that look like formulas as they are'),
            ]}
            {option('stored', 'values as stored, not names and labels')}
            {option('signed', 'to be edited and brought back: with a signature a row')}
          </div>
          {format === 'xlsx' && <p className="text-xs text-quiet">A sheet holds 1,048,575 records at most.</p>}
          <Problems error={take.error} />
          {progress && (
            <div className="space-y-1">
              <progress max={progress.of || undefined} value={progress.of ? progress.done : undefined} />
              <p className="flex justify-between text-xs text-quiet">
                <span role="status">
                  {progress.of
                    ? `${number(progress.done)} of ${number(progress.of)} records`
                    : `${number(progress.done)} kB`}
                </span>
                <LinkButton onClick={() => away.current?.abort()}>Stop</LinkButton>
              </p>
            </div>
          )}
          {take.isSuccess && (
            <p role="status" className="text-quiet">
              {number(take.data)} records taken.
            </p>
          )}
          <div className="flex items-center justify-between">
            <Button main busy={take.isPending} onClick={() => take.mutate()}>
              Save the file
            </Button>
            <Link to={printPage} className="text-accent-strong underline underline-offset-2">
              Print view
            </Link>
          </div>
        </div>
      )}
    </Menu>
  );
}

/** Reads the stream; counts lines where there is a number of them to reach, else kilobytes. */
async function gather(
  bytes: ReadableStream<Uint8Array>,
  count: number,
  tell: (progress: { done: number; of: number }) => void,
): Promise<BlobPart[]> {
  const pieces: BlobPart[] = [];
  const reader = bytes.getReader();
  let done = 0;
  for (;;) {
    const { done: over, value } = await reader.read();
    if (over) return pieces;
    pieces.push(value as BlobPart);
    if (count === 0) done += value.length / 1024;
    else for (let at = value.indexOf(10); at >= 0; at = value.indexOf(10, at + 1)) done++;
    tell({ done: Math.round(Math.min(done, count || Infinity)), of: count });
  }
}

function save(blob: Blob, name: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
