import type { ListLineView, ListPageQuery, ListReportView } from '@tantamos/contract';
import { useInfiniteQuery, useMutation } from '@tanstack/react-query';
import { api, queryClient } from '../app/api';
import { LinkButton } from '../components/Button';
import { counted } from '../components/format';
import { useState } from 'react';
import { queries } from '../queries';

type Page = NonNullable<ListPageQuery['of']>;

/** Lines of a pasted list by what became of them; where several records fit one, it can be said which are meant. */
export function ListLines({ report, page, choosing }: { report: ListReportView; page: Page; choosing: boolean }) {
  const lines = useInfiniteQuery(queries.listLines(report.id, page));
  const all = lines.data?.pages.flatMap((p) => p.lines) ?? [];
  return (
    <div className="min-h-0 flex-1 overflow-auto px-4 py-2">
      <table className="w-full text-left">
        <caption className="sr-only">Lines: {page.replace('_', ' ')}</caption>
        <tbody>
          {all.map((l) => (
            <tr key={l.n} className="border-b border-line align-top">
              <td className="w-12 py-1 pr-3 text-right text-xs text-quiet">{l.n}</td>
              <td className="max-w-80 py-1 pr-3 font-mono text-xs break-all">
                {l.said || <i className="text-quiet">blank</i>}
              </td>
              <td className="py-1">
                <Fate line={l} list={report.id} choosing={choosing && page === 'several'} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {all.length === 0 && lines.isSuccess && <p className="py-2 text-quiet">No line of this kind.</p>}
      <p className="flex gap-4 py-2">
        {lines.hasNextPage && <LinkButton onClick={() => void lines.fetchNextPage()}>Show more</LinkButton>}
        {all.length > 0 && (
          <a
            className="text-accent-strong underline underline-offset-2"
            href={`/api/lists/${report.id}/lines?of=${page}&format=csv`}
            download
          >
            Download these lines
          </a>
        )}
      </p>
    </div>
  );
}

function Fate({ line: l, list, choosing }: { line: ListLineView; list: string; choosing: boolean }) {
  // What is chosen shows at once; a second press goes by what is shown, not by what the service has answered so far.
  const [taken, setTaken] = useState(l.matches.filter((m) => m.taken));
  const choose = useMutation({
    mutationFn: (of: { type: string; keys: string[] }) => api.chooseInList(list, { ...of, entry: l.entry! }),
    onSuccess: (report) => {
      queryClient.setQueriesData<ListReportView>({ queryKey: queries.pasted('').queryKey.slice(0, 1) }, (known) =>
        known?.id === list ? report : known,
      );
      // Read anew when the lines are opened again.
      return queryClient.invalidateQueries({
        queryKey: queries.listLines(list, undefined).queryKey.slice(0, 2),
        refetchType: 'none',
      });
    },
    scope: { id: `choices ${list}` },
  });
  const toggle = (match: (typeof taken)[number], on: boolean): void => {
    const next = on ? [...taken, match] : taken.filter((m) => !isSame(m, match));
    setTaken(next);
    choose.mutate({ type: match.type, keys: next.filter((m) => m.type === match.type).map((m) => m.key) });
  };
  if (l.fate === 'blank') return null;
  if (l.fate === 'not_address') return <span className="text-quiet">not an address</span>;
  if (l.matches.length === 0)
    return (
      <span>
        unknown
        {l.elsewhere && (
          <span className="text-pending">
            ; it is the {l.elsewhere.field} of {l.elsewhere.label.toLowerCase()}
          </span>
        )}
        {l.nearest.length > 0 && <span className="text-quiet">; nearest: {l.nearest.join(', ')}</span>}
      </span>
    );
  if (choosing)
    return (
      <span className="flex flex-wrap gap-x-3">
        {l.matches.map((m) => (
          <label key={`${m.type} ${m.key}`} className="flex items-center gap-1">
            <input
              type="checkbox"
              className="accent-accent"
              checked={taken.some((t) => isSame(t, m))}
              onChange={(e) => toggle(m, e.target.checked)}
            />
            {m.name} <span className="text-quiet">({m.key})</span>
          </label>
        ))}
      </span>
    );
  return (
    <span className={l.fate === 'repeat' ? 'text-quiet' : ''}>
      {l.fate === 'repeat' && 'said before; '}
      {l.matches.map((m) => `${m.name} (${m.key})`).join(', ')}
      {l.matches.length > 1 && <span className="text-quiet"> · {counted(l.matches.length, 'record')}</span>}
    </span>
  );
}

function isSame(a: { type: string; key: string }, b: { type: string; key: string }): boolean {
  return a.type === b.type && a.key === b.key;
}
