import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { Button } from '../components/Button';
import { moment, number } from '../components/format';
import { Empty, Trouble, Working } from '../components/states';
import { StateMark } from './StateMark';
import { queries } from '../queries';

const pageSize = 50;

/** Every run, newest first, and previews that wait to be started. */
export function RunsPage() {
  const runs = useInfiniteQuery(queries.runs(pageSize));
  const previews = useQuery(queries.previews());
  if (runs.isPending) return <Working what="Reading the runs" />;
  if (runs.isError) return <Trouble error={runs.error} onRetry={() => void runs.refetch()} />;
  const all = runs.data.pages.flat();
  const waiting = (previews.data ?? []).filter((p) => p.state === 'ready' && !p.expired);
  if (all.length === 0 && waiting.length === 0)
    return (
      <Empty title="No runs yet.">
        A run is the execution of one preview. Choose records, say what to change, look at the preview, and run it.
      </Empty>
    );
  return (
    <main className="h-full space-y-6 overflow-auto p-4">
      <section>
        <h1 className="mb-2 text-base font-semibold">Runs</h1>
        {all.length === 0 ? (
          <p className="text-quiet">None yet.</p>
        ) : (
          <table className="w-full border-separate border-spacing-0 border border-line bg-sheet">
            <thead className="bg-sunken">
              <tr>
                {['State', 'Job', 'Changed', 'Matched', 'Started', 'By'].map((h) => (
                  <th
                    key={h}
                    className={`${cell} font-medium ${numeric.includes(h) ? 'text-right' : 'text-left'} ${narrow.includes(h) ? '' : 'max-md:hidden'}`}
                  >
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {all.map((r) => (
                <tr key={r.id} className="hover:bg-paper">
                  <td className={cell}>
                    <StateMark state={r.state} />
                  </td>
                  <td className={`${cell} w-full max-w-0 truncate max-md:whitespace-normal max-md:py-1.5`}>
                    <Link to={`/runs/${r.id}`} className="hover:text-accent hover:underline" title={r.sentence}>
                      {r.sentence}
                    </Link>
                    {r.why && <span className="ml-2 text-quiet">{r.why}</span>}
                    <span className="block text-xs text-quiet md:hidden">
                      {number(r.totals.changed)} of {number(r.totals.matched)} changed, {moment(r.startedAt)} by{' '}
                      {r.startedBy}
                    </span>
                  </td>
                  <td className={`${cell} text-right max-md:hidden`}>{number(r.totals.changed)}</td>
                  <td className={`${cell} text-right text-quiet max-md:hidden`}>{number(r.totals.matched)}</td>
                  <td className={`${cell} max-md:hidden`}>{moment(r.startedAt)}</td>
                  <td className={`${cell} max-md:hidden`}>{r.startedBy}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {runs.hasNextPage && (
          <Button className="mt-3" busy={runs.isFetchingNextPage} onClick={() => void runs.fetchNextPage()}>
            Show more
          </Button>
        )}
      </section>
      {waiting.length > 0 && (
        <section>
          <h2 className="mb-2 text-base font-semibold">Previews not started</h2>
          <ul className="border border-line bg-sheet">
            {waiting.map((p) => (
              <li
                key={p.id}
                className="flex flex-wrap items-center gap-x-4 gap-y-0.5 border-b border-line px-3 py-1.5 last:border-b-0"
              >
                <Link
                  to={`/previews/${p.id}`}
                  className="min-w-0 flex-1 truncate hover:text-accent hover:underline max-md:basis-full max-md:whitespace-normal"
                  title={p.sentence}
                >
                  {p.sentence}
                </Link>
                <span>{number(p.totals.will_change)} will change</span>
                <span className="text-quiet">
                  {moment(p.madeAt)} by {p.madeBy}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </main>
  );
}

const cell = 'h-9 border-b border-line px-3 whitespace-nowrap';
const numeric = ['Changed', 'Matched'];
/** What a phone has room for; the rest stands beneath the job. */
const narrow = ['State', 'Job'];
