import type { JobBody, JournalPick, PreviewView, StartRunBody } from '@tantamos/contract';
import {
  mended,
  outcomeWords,
  previewAddends,
  tabWords,
  verdicts,
  willWords,
  type Mend,
  type Verdict,
} from '@tantamos/core';
import { keysOfCause } from '@tantamos/client';
import { useMutation } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { api } from '../app/api';
import { useWatched } from '../app/useWatched';
import { Button, LinkButton } from '../components/Button';
import { capital, counted, moment, number } from '../components/format';
import { JournalTable } from '../components/JournalTable';
import { AlongLine } from '../components/Notes';
import { OutcomeBar } from '../components/OutcomeBar';
import { OutcomeTabs } from '../components/OutcomeTabs';
import { PrintButton } from '../components/PrintButton';
import { Problems } from '../components/Problems';
import { Empty, Trouble, Working } from '../components/states';
import { TypeNumber } from '../components/TypeNumber';
import { noWork, type Draft } from '../job/draft';
import { useDraft } from '../job/DraftKeeper';
import { OfCause, Picked } from './Picked';
import { PreviewSide } from './PreviewSide';
import { Since } from './Since';
import { queries } from '../queries';

export function PreviewPage() {
  const id = useParams().id!;
  const preview = useWatched(
    queries.preview(id),
    (signal) => api.previewEvents(id, signal),
    (p) => p.state !== 'working',
  );
  if (preview.isPending) return <Working what="Reading the preview" />;
  if (!preview.data) return <Trouble error={preview.error} />;
  const p = preview.data;
  if (p.state === 'working') return <BeingMade preview={p} />;
  if (p.state !== 'ready')
    return (
      <Empty title={p.state === 'failed' ? 'The preview could not be worked out.' : 'The preview was withdrawn.'}>
        {p.trouble}
      </Empty>
    );
  return <Ready key={id} preview={p} />;
}

function BeingMade({ preview }: { preview: PreviewView }) {
  const navigate = useNavigate();
  const cancel = useMutation({ mutationFn: () => api.dropPreview(preview.id), onSuccess: () => navigate(-1) });
  const { done, of } = preview.progress ?? { done: 0, of: 1 };
  return (
    <Empty title="Working it out …">
      <p>{preview.sentence}</p>
      <progress className="mt-3" value={done} max={of} aria-label="Progress of the preview" />
      <p className="mt-3">
        <Button onClick={() => cancel.mutate()} busy={cancel.isPending}>
          Cancel
        </Button>
      </p>
    </Empty>
  );
}

function Ready({ preview: p }: { preview: PreviewView }) {
  const navigate = useNavigate();
  const { draft, change } = useDraft();
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const starting = useStarting(p);
  const [shown, setShown] = useState<{ pick: JournalPick; field: string } | PreviewView['causes'][number] | null>(null);
  const mayMend = p.kind === 'edit' && p.run === null && p.job !== null;
  // The job with what is otherwise is previewed anew; the unfinished job keeps it, so that it is not forgotten when it is changed.
  const again = useMutation({
    mutationFn: (mend: Omit<Mend, 'words'>) => api.makePreview({ ...mended(p.job!, mend), after: p.id } as JobBody),
    onSuccess: (next, mend) => {
      // Another unfinished job than the one this was made of has nothing to do with it.
      if (draft.after === p.id) change({ ...keptOf(draft, mend), after: next.id });
      void navigate(`/previews/${next.id}`);
    },
  });
  const drop = useMutation({
    mutationFn: async (cause: string) => again.mutate({ drop: await keysOfCause(api, p.id, cause) }),
  });
  // What is left out is left out of the first part.
  const mayDrop = mayMend && !p.job.then;
  const picks = mayDrop
    ? {
        picked,
        of: p.job.selection.type,
        pick: (key: string, on: boolean) =>
          setPicked((now) => new Set(on ? [...now, key] : [...now].filter((k) => k !== key))),
      }
    : undefined;
  const tabs = tabsOf(p);
  const [outcome, setOutcome] = useState<Verdict>(tabs.find((t) => t.count > 0)?.outcome ?? 'will_change');
  return (
    <div className="flex h-full flex-col max-lg:overflow-auto">
      <header className="space-y-2 border-b border-line px-4 pt-3 pb-2.5">
        <h1
          className={`font-medium ${p.sentence.length > 280 ? 'max-h-20 overflow-auto leading-5' : 'text-lg leading-6'}`}
        >
          {p.sentence}
        </h1>
        <p className="text-quiet">
          Worked out {moment(p.madeAt)} by {p.madeBy}, valid until {moment(p.expiresAt)}.{p.why && ` Why: ${p.why}`}
        </p>
        {p.list && (
          <p className="text-quiet">
            {p.list.file ? 'File' : 'Pasted list'}: {p.list.sentence}
          </p>
        )}
        <OutcomeBar matched={p.totals.matched} addends={previewAddends(p.totals, p.parts)} />
        <AlongLine along={p.along} isDone={false} />
        {p.after && <Since preview={p.id} after={p.after} />}
        <Problems error={again.error ?? drop.error} />
      </header>
      <div className="flex min-h-0 flex-1 max-lg:min-h-fit max-lg:flex-col-reverse max-lg:flex-none">
        <section
          className="flex min-w-0 flex-2 flex-col bg-sheet max-lg:h-[70vh] max-lg:flex-none"
          aria-label="Records"
        >
          {shown && 'cause' in shown ? (
            <OfCause
              preview={p.id}
              cause={shown}
              onDrop={mayDrop && shown.count <= mostDropped ? () => drop.mutate(shown.cause) : undefined}
              onChange={() => void navigate(`/records/${encodeURIComponent(p.type)}`)}
              isDropping={drop.isPending || again.isPending}
              onClose={() => setShown(null)}
            />
          ) : shown ? (
            <Picked
              preview={p.id}
              pick={shown.pick}
              field={{
                id: shown.field,
                label: p.pairs.find((pair) => pair.field === shown.field)?.label ?? shown.field,
              }}
              onClose={() => setShown(null)}
              picks={picks}
            />
          ) : (
            <OutcomeTabs tabs={tabs} value={outcome} onChange={setOutcome}>
              <JournalTable query={queries.previewRecords(p.id, outcome)} empty="No records here." picks={picks} />
            </OutcomeTabs>
          )}
          {picked.size > 0 && (
            <div className="flex shrink-0 items-center gap-3 border-t border-line bg-sunken px-4 py-2" role="status">
              {counted(picked.size, 'record')} picked
              <Button busy={again.isPending} onClick={() => again.mutate({ drop: [...picked] })}>
                Leave {picked.size === 1 ? 'it' : 'them'} out and preview again
              </Button>
              {p.hindrance === null && outcome === 'will_change' && picked.size <= mostFirst && (
                <Button busy={starting.isPending} onClick={() => starting.go({ firstKeys: [...picked] })}>
                  Run {picked.size === 1 ? 'it' : 'these'} first, then ask me
                </Button>
              )}
              <LinkButton onClick={() => setPicked(new Set())}>Pick none</LinkButton>
            </div>
          )}
        </section>
        <PreviewSide
          preview={p}
          onMend={mayMend ? (mend) => again.mutate(mend) : undefined}
          onPick={(by, field) => setShown({ pick: by, field })}
          onCause={(cause) => setShown(p.causes.find((c) => c.cause === cause)!)}
          onLook={(at) => {
            if (at === 'selection') return void navigate(`/records/${encodeURIComponent(p.type)}`);
            setShown(null);
            setOutcome(at);
          }}
        />
      </div>
      <Foot preview={p} starting={starting} />
    </div>
  );
}

/** So many may be the first. */
const mostFirst = 200;
/** More than this are better left out by the filter. */
const mostDropped = 5000;

/** What an unfinished job keeps of a mend, so that it is there when the job is changed and previewed again. */
function keptOf(draft: Draft, { filter, edit, drop }: Omit<Mend, 'words'>): Partial<Draft> {
  return {
    ...(filter === undefined ? {} : { filter }),
    ...(edit ? { edits: draft.edits.map((e, i) => (i === edit.at ? edit.edit : e)) } : {}),
    ...(drop
      ? { dropped: [...new Set([...draft.dropped, ...drop])], allPicked: draft.allPicked || draft.picked.length === 0 }
      : {}),
  };
}

/** Which are done first: so many, these, or (both left out) all at once. */
type First = Pick<StartRunBody, 'askAfter' | 'first' | 'firstKeys'>;

interface Starting {
  readonly isPending: boolean;
  readonly error: unknown;
  /** What waits for the number to be typed. */
  readonly typing: First | null;
  go(first: First): void;
  typed(): void;
  leave(): void;
}

/** Starts the run, after the number has been typed where it must be. */
function useStarting(p: PreviewView): Starting {
  const navigate = useNavigate();
  const { change } = useDraft();
  const [typing, setTyping] = useState<First | null>(null);
  // One key a page: pressing twice, or once more after a broken line, starts one run.
  const once = useRef(crypto.randomUUID());
  const count = p.totals.will_change;
  const start = useMutation({
    mutationFn: (first: First) =>
      api.startRun(
        { preview: p.id, ...first, expect: count },
        { once: `${once.current}-${JSON.stringify(first)}`.slice(0, 200) },
      ),
    onSuccess: (run) => {
      if (p.kind === 'edit') change(noWork);
      void navigate(`/runs/${run.id}`);
    },
  });
  return {
    isPending: start.isPending,
    error: start.error,
    typing,
    go: (first) => (p.expectRequired ? setTyping(first) : start.mutate(first)),
    typed: () => start.mutate(typing!),
    leave: () => setTyping(null),
  };
}

function Foot({ preview: p, starting }: { preview: PreviewView; starting: Starting }) {
  const navigate = useNavigate();
  const count = p.totals.will_change;
  const ask = p.job?.safety?.askAfter ?? 5;
  const first = p.kind === 'edit' && ask < count ? ask : null;
  const spread = p.job?.safety?.first === 'spread';
  const words = p.kind === 'undo' ? 'Undo' : 'Run';
  return (
    <footer className="sticky bottom-0 flex shrink-0 flex-wrap items-center gap-3 border-t border-line bg-sheet px-4 py-2.5">
      <Button onClick={() => navigate(-1)}>Back</Button>
      <PrintButton />
      <div className="ml-auto flex flex-wrap items-center gap-3">
        {p.hindrance !== null && !p.run && <p className="text-pending">{p.hindrance}</p>}
        <Problems error={starting.error} />
        {p.run ? (
          <Button main onClick={() => navigate(`/runs/${p.run}`)}>
            Go to its run
          </Button>
        ) : (
          <>
            <Button
              main={first === null}
              busy={starting.isPending}
              disabled={p.hindrance !== null}
              onClick={() => starting.go({ askAfter: null, first: 'in_order' })}
            >
              {words} all {number(count)}
            </Button>
            {first !== null && (
              <Button
                main
                className="ml-4"
                busy={starting.isPending}
                disabled={p.hindrance !== null}
                onClick={() => starting.go({ askAfter: first })}
              >
                {words} {spread ? `one of each change, ${number(first)} at most` : `the first ${number(first)}`}, then
                ask me
              </Button>
            )}
          </>
        )}
      </div>
      <TypeNumber
        count={count}
        title={willWords(p.parts, number)}
        open={starting.typing !== null}
        onClose={starting.leave}
        onTyped={starting.typed}
      >
        {p.sentence} {goneAlong(p)} You can undo this as long as nobody changes these records again.
      </TypeNumber>
    </footer>
  );
}

/** “48 records of other types go with them.” */
function goneAlong({ along }: PreviewView): string {
  const gone = along.filter((a) => a.act === 'delete' && a.count > 0);
  if (gone.length === 0) return '';
  return `With them go ${gone.map((a) => `${number(a.count)} ${a.label.toLowerCase()}`).join(', ')}.`;
}

/** What is always told of a preview, and the rest where there is some. */
const always: Record<PreviewView['kind'], readonly Verdict[]> = {
  edit: ['will_change', 'already_right', 'not_allowed'],
  undo: ['will_change'],
};

function tabsOf(p: PreviewView) {
  return verdicts
    .filter((v) => always[p.kind].includes(v) || p.totals[v] > 0)
    .map((v) => ({ outcome: v, label: capital(tabWords(v, p.parts) ?? outcomeWords(v)), count: p.totals[v] }));
}
