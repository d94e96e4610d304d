import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { Search } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import { Button } from '../components/Button';
import { moment, number } from '../components/format';
import { Empty, Trouble, Working } from '../components/states';
import { FindChanges, type Wanted } from './FindChanges';
import { RunsTable } from './RunsTable';
import { RecordsTable } from '../components/RecordsTable';
import { Problems } from '../components/Problems';
import { useSettled } from '../components/useSettled';
import { queries } from '../queries';

const pageSize = 50;

/** Every run, newest first, and previews that wait to be started. */
export function RunsPage() {
  const runs = useInfiniteQuery(queries.runs(pageSize));
  const previews = useQuery(queries.previews());
  const [wanted, setWanted] = useState<Wanted | null>(null);
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
        <div className="mb-2 flex items-center justify-between gap-3">
          <h1 className="text-base font-semibold">Runs</h1>
          <Button aria-expanded={wanted !== null} onClick={() => setWanted(wanted === null ? {} : null)}>
            <Search className="size-4" aria-hidden="true" /> {wanted === null ? 'Search changes' : 'Close the search'}
          </Button>
        </div>
        {wanted !== null && (
          <div className="mb-3">
            <FindChanges wanted={wanted} onChange={setWanted} />
          </div>
        )}
        {wanted !== null && Object.keys(wanted).length > 0 ? (
          <Changes wanted={wanted} />
        ) : all.length === 0 ? (
          <p className="text-quiet">None yet.</p>
        ) : (
          <RunsTable lines={all.map((run) => ({ run, matching: null }))} />
        )}
        {!(wanted && Object.keys(wanted).length > 0) && runs.hasNextPage && (
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

/** The runs that fit, with a few of the records of each where those were asked for. */
function Changes({ wanted }: { wanted: Wanted }) {
  // What is being typed is not looked for letter by letter.
  const settled = useSettled(wanted, 400);
  const found = useInfiniteQuery(queries.changes(settled));
  if (found.isPending) return <Working what="Looking for changes" />;
  if (found.isError) return <Problems error={found.error} />;
  const runs = found.data.pages.flatMap((p) => p.runs);
  const last = found.data.pages.at(-1)!;
  return (
    <>
      {runs.length === 0 ? (
        <p className="text-quiet" role="status">
          No run fits{last.lookedBackTo && `, looked back to ${moment(last.lookedBackTo)}`}.
        </p>
      ) : (
        <RunsTable
          lines={runs.map(({ run, matching, records }) => ({
            run,
            matching,
            more: records.length > 0 && (
              <div className="mt-1 overflow-auto border border-line">
                <RecordsTable records={records} />
              </div>
            ),
          }))}
        />
      )}
      {found.hasNextPage && (
        <Button className="mt-3" busy={found.isFetchingNextPage} onClick={() => void found.fetchNextPage()}>
          {last.lookedBackTo ? `Look further back than ${moment(last.lookedBackTo)}` : 'Show more'}
        </Button>
      )}
    </>
  );
}
