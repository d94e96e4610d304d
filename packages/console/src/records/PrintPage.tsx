import { useQuery } from '@tanstack/react-query';
import { useNavigate, useParams } from 'react-router';
import { Button } from '../components/Button';
import { moment, number } from '../components/format';
import { PrintButton } from '../components/PrintButton';
import { Trouble, Working } from '../components/states';
import { everything, pickedPartsOf } from '../job/draft';
import { useDraft } from '../job/DraftKeeper';
import { usualColumns } from './columns';
import { queries } from '../queries';

/** More rows are not for paper. */
const mostPrinted = 2000;

/** The selection for paper: its sentence, how each part narrows it, the total, and the records. */
export function PrintPage() {
  const { type: id = '' } = useParams();
  const navigate = useNavigate();
  const { draft: kept } = useDraft();
  const draft = kept.type === id ? kept : { ...kept, ...everything };
  const parts = pickedPartsOf(draft);
  const view = draft.views[id] ?? {};
  const page = useQuery(
    queries.printed(id, parts, (type) => view.columns ?? usualColumns(type), view.sort ?? [], mostPrinted),
  );
  if (page.isPending) return <Working what="Reading the records" />;
  if (!page.data) return <Trouble error={page.error} onRetry={() => void page.refetch()} />;
  const { type, explained, records, heads } = page.data;
  return (
    <main className="h-full overflow-auto bg-sheet p-8 print:overflow-visible print:p-0">
      <p className="mb-4 flex gap-2 print:hidden">
        <Button onClick={() => navigate(-1)}>Back</Button> <PrintButton />
      </p>
      <h1 className="text-lg font-medium">{sentence(explained.sentence)}</h1>
      <p className="text-quiet">
        {type.label}, {moment(new Date().toISOString())}.
      </p>
      <ol className="my-3">
        <li>
          {type.label}: {number(explained.all)}
        </li>
        {explained.base !== explained.all && <li>related: {number(explained.base)}</li>}
        {explained.conditions.map((c, i) => (
          <li key={i}>
            {c.words}: {number(c.after)}
          </li>
        ))}
        {explained.list && <li>{explained.list.sentence}</li>}
        <li className="font-semibold">Total: {number(explained.matched)}</li>
      </ol>
      <table className="w-full border-collapse text-xs">
        <thead>
          <tr>
            {heads.map((h) => (
              <th key={h.name} className="border-b border-line-strong py-1 pr-3 text-left font-semibold">
                {h.label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {records.map((r, i) => (
            <tr key={r.key ?? i} className="break-inside-avoid">
              {r.values.map((v, j) => (
                <td
                  key={j}
                  className={`border-b border-line py-0.5 pr-3 align-top ${heads[j]!.kind === 'number' ? 'text-right' : ''}`}
                >
                  {v.label ?? v.value}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {records.length < explained.matched && (
        <p className="mt-2">
          The first {number(records.length)} of {number(explained.matched)}; take the rest away as a file.
        </p>
      )}
    </main>
  );
}

function sentence(words: string): string {
  return `${words[0]?.toUpperCase() ?? ''}${words.slice(1)}.`;
}
