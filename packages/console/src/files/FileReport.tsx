import type { FileRowsQuery, FileView } from '@tantamos/contract';
import { fateWords, rowFates, type RowFate } from '@tantamos/core';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { LinkButton } from '../components/Button';
import { number } from '../components/format';
import { queries } from '../queries';

type Of = NonNullable<FileRowsQuery['of']>;

const troubled: readonly RowFate[] = ['edited_since', 'unknown', 'several', 'twice', 'unfit'];

/** “300 rows = 221 taken + 26 fit no record + …”, each number a button that opens its rows. */
export function FileReport({ file, stale }: { file: FileView; stale: boolean }) {
  const { fates, rows, records } = file.report!;
  const first = troubled.find((f) => fates[f] > 0);
  const [page, setPage] = useState<Of | null>(null);
  const shown: Of = page ?? first ?? 'all';
  const part = (n: number, said: string, of: Of) => (
    <button
      key={of}
      type="button"
      aria-pressed={shown === of}
      onClick={() => setPage(of)}
      className={`rounded px-1 whitespace-nowrap underline decoration-1 underline-offset-3 hover:text-accent-strong ${shown === of ? 'bg-accent-soft font-medium' : ''}`}
    >
      {number(n)} {said}
    </button>
  );
  const parts = rowFates.filter((f) => fates[f] > 0);
  return (
    <>
      <div
        className={`space-y-0.5 border-b border-line px-4 py-2.5 ${stale ? 'text-quiet' : ''}`}
        role="status"
        data-testid="file-report"
      >
        <p>
          {part(rows, rows === 1 ? 'row' : 'rows', 'all')} ={' '}
          {parts.map((f, i) => (
            <span key={f}>
              {i > 0 && ' + '}
              {part(fates[f], fateWords[f], f)}
            </span>
          ))}
          {stale && ' …'}
        </p>
        {file.report!.mended > 0 && (
          <p className="text-pending">
            {part(file.report!.mended, file.report!.mended === 1 ? 'cell was damaged' : 'cells were damaged', 'mended')}{' '}
            by a spreadsheet (zeros in front, long numbers, dates turned round) and taken as before.
          </p>
        )}
        {fates.taken > 0 && (
          <p>
            {number(fates.taken)} → <b className="font-semibold">{number(records)}</b>{' '}
            {records === 1 ? 'record' : 'records'}
          </p>
        )}
      </div>
      <Rows key={`${file.id} ${shown} ${JSON.stringify(file.plan)}`} file={file} of={shown} />
    </>
  );
}

function Rows({ file, of }: { file: FileView; of: Of }) {
  const found = useInfiniteQuery(queries.fileRows(file.id, of, JSON.stringify(file.plan)));
  const rows = found.data?.pages.flatMap((p) => p.rows) ?? [];
  // Signatures say nothing to a person.
  const shown = file.columns.filter((c) => c.name !== file.plan?.signed);
  const left =
    file.report!.rows -
    file.report!.fates.taken -
    file.report!.fates.new -
    file.report!.fates.blank -
    file.report!.fates.same;
  return (
    <div className="min-h-0 flex-1 overflow-auto px-4 py-2">
      <table className="w-full text-left">
        <caption className="sr-only">Rows of the file</caption>
        <thead className="sticky top-0 bg-sheet text-xs text-quiet">
          <tr>
            <th className="py-1 pr-3 text-right font-normal">Row</th>
            <th className="py-1 pr-3 font-normal">What becomes of it</th>
            {shown.map((c) => (
              <th key={c.name} className="max-w-40 truncate py-1 pr-3 font-normal">
                {c.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={r.n} className="border-t border-line align-top">
              <td className="py-1 pr-3 text-right text-xs text-quiet">{number(r.at)}</td>
              <td className="min-w-44 py-1 pr-3">
                {r.fate && fateWords[r.fate]}
                {r.reason && r.reason !== 'no record fits' && (
                  <span className="block text-xs text-quiet">{r.reason}</span>
                )}
                {r.damage.map((words) => (
                  <span key={words} className="block text-xs text-pending">
                    {words}
                  </span>
                ))}
              </td>
              {shown.map((c) => {
                const text = r.cells[file.columns.indexOf(c)];
                return (
                  <td key={c.name} className="max-w-40 truncate py-1 pr-3 font-mono text-xs" title={text ?? undefined}>
                    {text}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length === 0 && found.isSuccess && <p className="py-2 text-quiet">No row of this kind.</p>}
      <p className="flex gap-4 py-2">
        {found.hasNextPage && <LinkButton onClick={() => void found.fetchNextPage()}>Show more</LinkButton>}
        {left > 0 && (
          <a
            className="text-accent-strong underline underline-offset-2"
            href={`/api/files/${file.id}/rows?of=left&format=csv`}
            download
          >
            Download the {number(left)} that are not taken, with the reason
          </a>
        )}
      </p>
    </div>
  );
}
