import type { RunView } from '@tantamos/contract';
import { doneWords, isOver, outcomes, outcomeWords, runAddends, shortId, tabWords, type Outcome } from '@tantamos/core';
import { useMutation } from '@tanstack/react-query';
import { Download, TriangleAlert } from 'lucide-react';
import { lazy, Suspense, useState } from 'react';
import { Link, useParams } from 'react-router';
import { api, queryClient } from '../app/api';
import { useWatched } from '../app/useWatched';
import { Button, LinkButton } from '../components/Button';
import { capital, counted, duration, moment, number } from '../components/format';
import { JournalTable } from '../components/JournalTable';
import { AlongLine } from '../components/Notes';
import { OutcomeBar } from '../components/OutcomeBar';
import { PrintButton } from '../components/PrintButton';
import { OutcomeTabs } from '../components/OutcomeTabs';
import { Problems } from '../components/Problems';
import { Trouble, Working } from '../components/states';
import { Attention } from './Attention';
import { Batches } from './Batches';
import { Course } from './Course';
import { Pace } from './Pace';
import { RunParts } from './RunParts';
import { RunLog } from './RunLog';
import { StateMark } from './StateMark';
import { queries } from '../queries';
import { useNewJob } from '../job/useNewJob';

const Recheck = lazy(() => import('./Recheck'));
const UndoSheet = lazy(() => import('./UndoSheet'));

export function RunPage() {
  const id = useParams().id!;
  const run = useWatched(
    queries.run(id),
    (signal) => api.runEvents(id, signal),
    (r) => isOver(r.state),
  );
  if (run.isPending) return <Working what="Reading the run" />;
  if (!run.data) return <Trouble error={run.error} />;
  return <Watched key={id} run={run.data} />;
}

function Watched({ run: r }: { run: RunView }) {
  const [chosen, setChosen] = useState<{ outcome: Outcome; cause: string | null } | null>(null);
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [sheet, setSheet] = useState<'undo' | 'recheck' | null>(null);
  const openRecords = useNewJob();
  const tabs = outcomes
    .filter((o) => r.totals[o] > 0)
    .map((o) => ({ outcome: o, label: capital(tabWords(o, r.parts) ?? outcomeWords(o)), count: r.totals[o] }));
  const isThere = chosen !== null && r.totals[chosen.outcome] > 0;
  const outcome = isThere ? chosen.outcome : (tabs[0]?.outcome ?? 'changed');
  const cause = isThere ? chosen.cause : null;
  const picks =
    outcome === 'changed' && r.verbs.includes('undo')
      ? {
          picked,
          of: r.type,
          pick: (key: string, on: boolean) =>
            setPicked((now) => new Set(on ? [...now, key] : [...now].filter((k) => k !== key))),
        }
      : undefined;
  return (
    <main className="flex h-full flex-col max-lg:overflow-auto">
      <header className="space-y-3 border-b border-line px-4 pt-3 pb-3">
        <div className="flex flex-wrap items-start gap-x-4 gap-y-2">
          <div className="min-w-64 flex-1 space-y-1">
            <p className="flex items-center gap-2 text-lg leading-6" role="status">
              <b className="font-medium">
                <StateMark state={r.state} />:
              </b>
              <span>{situation(r)}</span>
            </p>
            <h1>{r.sentence}</h1>
            <p className="text-quiet">
              Started {moment(r.startedAt)} by {r.startedBy}
              {r.why && `. Why: ${r.why}`}
              {r.kind === 'undo' && r.undoOf && (
                <>
                  {'. '}
                  <Link to={`/runs/${r.undoOf}`} className="text-accent underline underline-offset-2">
                    The run it undoes
                  </Link>
                </>
              )}
              {r.undoneBy.map((u) => (
                <span key={u.run}>
                  {'. '}
                  <Link to={`/runs/${u.run}`} className="text-accent underline underline-offset-2">
                    {number(u.changed)} undone
                  </Link>
                </span>
              ))}
            </p>
          </div>
          <Verbs run={r} onUndo={() => setSheet('undo')} />
        </div>
        <Held run={r} />
        {r.list && (
          <p className="text-quiet">
            {r.list.file ? 'File' : 'Pasted list'}: {r.list.sentence}
          </p>
        )}
        <OutcomeBar matched={r.totals.matched} addends={runAddends(r.totals, r.parts)} />
        <RunParts parts={r.parts} />
        <AlongLine along={r.along} isDone />
        <p className="text-quiet">{pace(r)}</p>
      </header>
      <div className="flex min-h-0 flex-1 max-lg:min-h-fit max-lg:flex-col-reverse max-lg:flex-none">
        <section
          className="flex min-w-0 flex-2 flex-col bg-sheet max-lg:h-[70vh] max-lg:flex-none"
          aria-label="Records"
        >
          <OutcomeTabs tabs={tabs} value={outcome} onChange={(o) => setChosen({ outcome: o, cause: null })}>
            {cause !== null && (
              <p className="flex items-center justify-between gap-3 border-b border-line px-4 py-1.5">
                <span>Only: {cause}</span>
                <LinkButton onClick={() => setChosen({ outcome, cause: null })}>
                  All that are {outcomeWords(outcome)}
                </LinkButton>
              </p>
            )}
            <JournalTable
              query={queries.runRecords(
                r.id,
                outcome,
                r.state === 'running' ? '' : r.totals[outcome],
                cause ?? undefined,
              )}
              empty="None so far."
              picks={picks}
            />
          </OutcomeTabs>
          {picks && picked.size > 0 && (
            <div className="flex shrink-0 items-center gap-3 border-t border-line bg-sunken px-4 py-2" role="status">
              {counted(picked.size, 'record')} picked
              <Button onClick={() => setSheet('undo')}>Undo {picked.size === 1 ? 'it' : 'these'}…</Button>
              <LinkButton onClick={() => setPicked(new Set())}>Pick none</LinkButton>
            </div>
          )}
        </section>
        <aside
          aria-label="About this run"
          className="min-w-80 flex-1 space-y-5 overflow-auto border-l border-line p-4 max-lg:min-w-0 max-lg:flex-none max-lg:border-b max-lg:border-l-0"
        >
          <Attention run={r} onShow={(o, why) => setChosen({ outcome: o, cause: why })} />
          {r.totals.changed > 0 && (
            <section className="space-y-1.5">
              <h2 className="text-xs font-semibold tracking-wide text-quiet uppercase">Records of this run</h2>
              <p className="flex flex-wrap gap-2">
                <Button onClick={() => setSheet('recheck')}>Recheck…</Button>
                <Button
                  onClick={() => void openRecords({ type: r.type, filter: `in_run('${shortId(r.id)}', 'changed')` })}
                >
                  Select these records
                </Button>
              </p>
            </section>
          )}
          <Course run={r} />
          <Batches run={r} />
          <RunLog run={r} />
          <section className="space-y-1.5">
            <h2 className="text-xs font-semibold tracking-wide text-quiet uppercase">Download</h2>
            <p className="flex gap-2">
              {(['csv', 'jsonl'] as const).map((format) => (
                <a
                  key={format}
                  href={`/api/runs/${r.id}/records?format=${format}`}
                  download
                  className="inline-flex h-8 items-center gap-1.5 rounded border border-line-strong bg-sheet px-3 hover:bg-sunken"
                >
                  <Download className="size-4" aria-hidden="true" /> {format === 'csv' ? 'CSV' : 'JSON Lines'}
                </a>
              ))}
              <PrintButton />
            </p>
            {r.totals.changed > 0 && (
              <p>
                <a
                  href={`/api/runs/${r.id}/records?format=csv&image=before`}
                  download
                  className="text-accent underline underline-offset-2"
                >
                  What these records were before
                </a>
                <span className="text-quiet">, to be loaded by hand</span>
              </p>
            )}
          </section>
        </aside>
      </div>
      <Suspense>
        {sheet === 'undo' && <UndoSheet run={r} picked={[...picked]} onClose={() => setSheet(null)} />}
        {sheet === 'recheck' && <Recheck run={r} onClose={() => setSheet(null)} />}
      </Suspense>
    </main>
  );
}

/** Why it does not go on, with figures, and what can be done. */
function Held({ run: r }: { run: RunView }) {
  if (r.exceeded === null) return null;
  return (
    <p className="flex gap-2 rounded border border-line bg-pending-soft px-3 py-2" role="alert">
      <TriangleAlert className="mt-0.5 size-4 shrink-0 text-pending" aria-hidden="true" />
      <span>
        <b className="font-medium">A limit of this job was reached:</b> {r.exceeded.words}. Look at what happened; to
        continue is to go on without this limit, to stop is to leave the {number(r.totals.not_yet)} that are not yet
        done.
      </span>
    </p>
  );
}

/** What can be said to the run now: going on first, taking back apart. */
function Verbs({ run: r, onUndo }: { run: RunView; onUndo: () => void }) {
  const say = useMutation({
    mutationFn: (verb: 'pause' | 'continue' | 'stop') => api[`${verb}Run`](r.id),
    onSuccess: (now) => queryClient.setQueryData(queries.run(r.id).queryKey, now),
  });
  const may = (verb: RunView['verbs'][number]): boolean => r.verbs.includes(verb);
  const waiting = r.state === 'waiting_for_you';
  return (
    <div className="shrink-0 space-y-2">
      <div className="flex flex-wrap items-center gap-2 lg:justify-end">
        {may('change') && <Pace run={r} />}
        {may('pause') && <Button onClick={() => say.mutate('pause')}>Pause</Button>}
        {may('stop') && <Button onClick={() => say.mutate('stop')}>{waiting ? 'Stop here' : 'Stop'}</Button>}
        {may('continue') && (
          <Button main={r.exceeded === null} busy={say.isPending} onClick={() => say.mutate('continue')}>
            {r.exceeded ? 'Continue anyway with' : r.state === 'waiting_until' ? 'Continue now with' : 'Continue with'}{' '}
            {number(r.totals.not_yet)}
          </Button>
        )}
        {may('undo') && (
          <Button grave className="ml-4" onClick={onUndo}>
            {waiting ? `Undo these ${number(r.totals.changed)}…` : 'Undo…'}
          </Button>
        )}
      </div>
      <Problems error={say.error} />
    </div>
  );
}

/** The state's reason, or what it has come to. */
function situation(r: RunView): string {
  const { changed, not_yet } = r.totals;
  const done = doneWords(r.parts, number);
  const who = r.stateBy ? ` by ${r.stateBy}` : '';
  switch (r.state) {
    case 'queued':
      return 'it begins in a moment.';
    case 'running':
      return r.reason ?? `${number(r.totals.matched - not_yet)} of ${number(r.totals.matched)} done.`;
    case 'pausing':
      return 'the batches under way are being ended.';
    case 'stopping':
      return 'the batches under way are being ended; nothing new is begun.';
    case 'waiting_for_you':
      return r.perGo === null
        ? `first ${number(changed)} done, ${number(not_yet)} not yet.`
        : `${number(changed)} done, ${number(not_yet)} not yet; at most ${number(r.perGo)} in one go.`;
    case 'paused':
      if (r.exceeded) return `${done}, ${number(not_yet)} not yet.`;
      return `${r.reason ?? `paused${who}`}, ${number(not_yet)} not yet.`;
    case 'waiting_until':
      return `${r.wakesAt ? `it goes on by itself ${moment(r.wakesAt)}. ` : ''}${r.reason ?? ''} ${number(not_yet)} not yet.`;
    case 'finished':
      return `${done}.`;
    case 'stopped':
      return `stopped${who}, ${done}, ${number(not_yet)} not yet.`;
  }
}

function pace(r: RunView): string {
  const done = r.totals.changed;
  const rate = r.workedMs > 0 ? done / (r.workedMs / 1000) : 0;
  const about = done > 0 && rate >= 1 ? `${number(Math.round(rate))} records a second. ` : '';
  if (r.state === 'running' && rate > 0)
    return `${about}${r.givesWay ? 'Others are at work, so it gives way to them. ' : ''}About ${duration((r.totals.not_yet / rate) * 1000)} left. Safe to close this page.`;
  if (isOver(r.state))
    return `${about}${counted(r.batchesDone, 'batch', 'batches')} in ${duration(r.workedMs)} of work.`;
  return 'Safe to close this page.';
}
