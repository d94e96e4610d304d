import type { RecheckView, RunView } from '@tantamos/contract';
import { keptBefore, shortId } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { Button } from '../components/Button';
import { Shown } from '../components/Change';
import { ComparedCounts } from '../components/ComparedCounts';
import { moment, number } from '../components/format';
import { RecordsTable } from '../components/RecordsTable';
import { Sheet } from '../components/Sheet';
import { Trouble } from '../components/states';
import { queries } from '../queries';

/** What has become of the records that a run changed, counted anew. */
export default function Recheck({ run, onClose }: { run: RunView; onClose: () => void }) {
  const found = useQuery(queries.recheck(run.id));
  return (
    <Sheet open onClose={onClose} title="Recheck" about={run.sentence} width="w-240">
      <div className="min-h-0 flex-1 space-y-5 overflow-auto p-4">
        {found.isError ? (
          <Trouble error={found.error} onRetry={() => void found.refetch()} />
        ) : found.data?.at == null ? (
          <Counting now={found.data} />
        ) : (
          <>
            <Found recheck={found.data} uncounted={run.totals.changed - found.data.changed} />
            <KeptBefore run={run} />
          </>
        )}
      </div>
      <div className="flex items-center gap-3 border-t border-line px-4 py-2.5">
        <Button
          busy={!found.isError && (found.isFetching || found.data?.at == null)}
          onClick={() => void found.refetch()}
        >
          Count again
        </Button>
        {found.data?.at && <p className="text-quiet">Counted {moment(found.data.at, { seconds: true })}.</p>}
      </div>
    </Sheet>
  );
}

/** How far it has come, of a run that takes longer to count. */
function Counting({ now }: { now: RecheckView | undefined }) {
  return (
    <div className="space-y-2 py-2">
      <p role="status">
        {now ? `Counting anew: ${number(now.counted)} of ${number(now.changed)} …` : 'Counting anew …'}
      </p>
      {now && <progress value={now.counted} max={now.changed} aria-label="Counted anew" />}
    </div>
  );
}

/** Counts of these records that the person kept before the run began, beside those of now. */
function KeptBefore({ run }: { run: RunView }) {
  const all = useQuery(queries.counts()).data ?? [];
  const before = keptBefore(all, run);
  if (before.length === 0) return null;
  return (
    <section className="space-y-3">
      {before.map((kept) => (
        <div key={kept.id} className="space-y-1">
          <h3 className="font-medium">
            Counts kept before: {kept.name}
            <span className="font-normal text-quiet">, {moment(kept.madeAt)}</span>
          </h3>
          <ComparedCounts kept={kept} />
        </div>
      ))}
    </section>
  );
}

/** `uncounted`: changed by the run while, and since, it was counted. */
function Found({ recheck: r, uncounted }: { recheck: RecheckView; uncounted: number }) {
  const counts = [
    ['stand as written', r.asWritten],
    ['changed since', r.changedSince],
    ['put back', r.putBack],
    ['gone', r.gone],
  ] as const;
  return (
    <>
      <section className="space-y-1">
        <p className="text-base">
          <b className="font-semibold">{number(r.changed)} changed</b> ={' '}
          {counts
            .filter(([, n], i) => i === 0 || n > 0)
            .map(([words, n]) => `${number(n)} ${words}`)
            .join(' + ')}
        </p>
        {uncounted > 0 && <p className="text-pending">{number(uncounted)} more are changed by now. Count again.</p>}
        {r.matchesNow !== null && (
          <p className="text-quiet">
            The selection found {number(r.matched)} then, {number(r.matchesNow)} now.
          </p>
        )}
      </section>
      {r.fields.length > 0 && (
        <section className="grid gap-x-8 gap-y-4 sm:grid-cols-2">
          {r.fields.map((f) => (
            <Values key={f.field} field={f} />
          ))}
        </section>
      )}
      {(r.laterRuns?.length !== 0 || r.who !== null) && (
        <section className="space-y-1">
          <h3 className="font-medium">Changed since</h3>
          {r.who?.values.map((v) => (
            <p key={v.value.value}>
              {number(v.count)}: {r.who!.label.toLowerCase()} <Shown value={v.value} />
            </p>
          ))}
          {r.laterRuns === null && (
            <p className="text-quiet">Later runs that changed them could not be found in time.</p>
          )}
          {r.laterRuns?.map((later) => (
            <p key={later.run}>
              {number(later.count)} by{' '}
              <Link to={`/runs/${later.run}`} className="text-accent underline underline-offset-2">
                run {shortId(later.run)}
              </Link>{' '}
              of {later.by}: {later.sentence}
            </p>
          ))}
        </section>
      )}
      {r.records.length > 0 && (
        <section>
          <h3 className="font-medium">From what was written to what stands there now</h3>
          <div className="overflow-auto border border-line">
            <RecordsTable records={r.records} withOutcome={r.gone > 0} />
          </div>
        </section>
      )}
    </>
  );
}

/** How many of them had each value before the run, after it, and have it now. */
function Values({ field: f }: { field: RecheckView['fields'][number] }) {
  if (f.more === null)
    return (
      <div>
        <h3 className="font-medium">{f.label}</h3>
        <p>{number(f.asWritten)} stand as written; too many or too long values to be told.</p>
      </div>
    );
  return (
    <table className="w-full self-start">
      <caption className="pb-1 text-left font-medium">{f.label}</caption>
      <thead className="text-xs text-quiet">
        <tr>
          <th className="text-left font-normal">Value</th>
          {['Before', 'After', 'Now'].map((h) => (
            <th key={h} className="pl-3 text-right font-normal">
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {f.values.map(({ value, before, after, now }) => (
          <tr key={value.value} className="border-t border-line">
            <td className="max-w-0 w-full truncate py-1 pr-2">
              <Shown value={value} kind={f.kind} />
            </td>
            <td className="py-1 pl-3 text-right text-quiet">{number(before)}</td>
            <td className="py-1 pl-3 text-right">{number(after)}</td>
            <td className={`py-1 pl-3 text-right ${now === after ? '' : 'font-semibold text-pending'}`}>
              {number(now)}
              {now !== after && <span className="sr-only">, other than after the run</span>}
            </td>
          </tr>
        ))}
      </tbody>
      {f.more > 0 && (
        <tfoot>
          <tr>
            <td colSpan={4} className="py-1 text-quiet">
              and {number(f.more)} other values
            </td>
          </tr>
        </tfoot>
      )}
    </table>
  );
}
