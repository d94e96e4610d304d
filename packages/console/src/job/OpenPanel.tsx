import { AnswerError } from '@tantamos/client';
import type { JobBody, JournalRecord, PreviewView, SampleView, TypeView } from '@tantamos/contract';
import { saysWhat } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { ChevronsRight, Plus } from 'lucide-react';
import { lazy, Suspense, useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../app/api';
import { usePerson } from '../app/session';
import { Button, LinkButton } from '../components/Button';
import { number } from '../components/format';
import { textInput } from '../components/inputs';
import { ProblemList, Problems } from '../components/Problems';
import { narrowed, neededBy } from './asked';
import { pickedPartsOf, type Draft, type View } from './draft';
import { EditCard } from './EditCard';
import { completeEdits, type DraftEdit, type Result } from './edits';
import { SafetyForm } from './SafetyForm';
import { ActCard, Whole } from './WholeCards';
import { jobOf } from './job-of';

import { queries } from '../queries';
import type { FieldChoice } from '../records/fields';
import { useSample } from './useSample';

const SaveJob = lazy(() => import('./SaveJob'));

export interface JobPanelProps {
  type: TypeView;
  fields: readonly FieldChoice[];
  draft: Draft;
  change: (next: Partial<Draft>) => void;
  /** Keys of the records in sight, and whether the job can be asked about at all. */
  sight: readonly string[];
  found: boolean;
  /** How the person looks at these records. */
  look: Pick<View, 'columns' | 'sort'>;
  /** Just unfolded: where there is no edit yet, a field is looked for. */
  unfolded: boolean;
  /** Told what the job would do to those in sight. */
  onChanges: (changes: Changes) => void;
}

/** What a job would do to records, by their keys. */
export type Changes = ReadonlyMap<string, JournalRecord>;

/** The job being composed: which, edits, safety, why; at its foot what would happen and the one button. */
export default function OpenPanel(props: JobPanelProps) {
  const { type, fields, draft, change, sight, found, look, unfolded, onChanges } = props;
  const navigate = useNavigate();
  const { workspace } = usePerson();
  const [added, setAdded] = useState<number | null>(unfolded && draft.edits.length === 0 ? 0 : null);
  const job = jobOf(draft, type.id);
  const isEdited = saysWhat(job);
  const sample = useSample(job, isEdited ? sight : [], found);
  const rows = isEdited ? sample.view?.rows : undefined;
  useEffect(() => {
    onChanges(new Map((rows ?? []).map((r) => [r.key, r])));
    return () => onChanges(new Map());
  }, [rows, onChanges]);
  const [saving, setSaving] = useState(false);
  const make = useMutation({
    mutationFn: () => previewAfter(job, draft.after),
    onSuccess: (p) => {
      change({ after: p.id });
      void navigate(`/previews/${p.id}`);
    },
  });
  const stale = !sample.current;
  const { view: data } = sample;
  const rules = useQuery(queries.rules(type.id)).data ?? [];
  const open = narrowed(type, rules, draft.edits);
  const offered = draft.act === null ? open : { ...open, links: [] };
  const needed = stale ? [] : neededBy(rows ?? [], rules, type, draft.edits);
  const problems = isEdited ? (data?.problems ?? []) : [];
  const counts = data?.counts;
  const whyMissing = workspace.whyRequired && draft.why.trim() === '';
  // An empty card to begin with.
  const edited = draft.edits.flatMap((e) => (e.field ? [e.field] : []));
  const edits = draft.edits.length > 0 || draft.also.length > 0 || draft.act !== null ? draft.edits : [blankEdit];
  const setEdit = (i: number, next: DraftEdit): void => change({ edits: edits.map((e, j) => (j === i ? next : e)) });
  return (
    <aside
      aria-label="Job"
      // Where there is no room beside the records it lies over them.
      className="flex w-95 max-w-full shrink-0 flex-col border-l border-line bg-sheet max-lg:fixed max-lg:top-11 max-lg:right-0 max-lg:bottom-0 max-lg:z-20 max-lg:shadow-xl"
    >
      <div className="flex h-12 shrink-0 items-center justify-between border-b border-line px-4">
        <h2 className="text-sm font-semibold">Change</h2>
        <button
          type="button"
          aria-label="Fold the job away"
          title="Fold away"
          onClick={() => change({ panel: false })}
          className="grid size-8 place-items-center rounded hover:bg-sunken"
        >
          <ChevronsRight className="size-4" aria-hidden="true" />
        </button>
      </div>
      <div className="min-h-0 flex-1 space-y-5 overflow-auto p-4">
        <section aria-label="Which">
          <h3 className={heading}>Which</h3>
          <p className={stale ? 'text-quiet' : ''} data-testid="sentence">
            {data?.sentence ?? '…'}
          </p>
          <Problems error={sample.error} />
        </section>
        <section aria-label="Edits" className="space-y-2">
          <h3 className={heading}>Edits</h3>
          {draft.act !== null && <ActCard type={type} draft={draft} change={change} />}
          {draft.act !== 'delete' && (
            <>
              {edits.map((edit, i) => (
                <EditCard
                  key={i}
                  type={offered}
                  fields={fields}
                  selection={pickedPartsOf(draft)}
                  edit={edit}
                  results={stale || !edit.field ? [] : resultsOf(data?.rows ?? [], edit.field)}
                  before={stale && edit.field ? resultsOf(data?.rows ?? [], edit.field) : []}
                  isNew={i === added}
                  taken={draft.edits.flatMap((e, j) => (j !== i && e.field ? [e.field] : []))}
                  problems={problems.filter((p) => p.where?.startsWith(`edits[${indexInJob(draft, i)}]`))}
                  onChange={(next) => setEdit(i, next)}
                  onRemove={() => change({ edits: draft.edits.filter((_, j) => j !== i) })}
                />
              ))}
              {needed.map(({ message, fields: missing }) => (
                <p key={message} className="text-pending">
                  {message}{' '}
                  {missing.map((f) => (
                    <LinkButton
                      key={f.name}
                      className="mr-2"
                      onClick={() => change({ edits: [...edits, { kind: 'set', field: f.name }] })}
                    >
                      Also change {f.label.toLowerCase()}
                    </LinkButton>
                  ))}
                </p>
              ))}
              <Button
                onClick={() => {
                  setAdded(edits.length);
                  change({ edits: [...edits, blankEdit] });
                }}
              >
                <Plus className="size-4" aria-hidden="true" /> Add an edit
              </Button>
            </>
          )}
          <Whole type={type} draft={draft} problems={problems} change={change} />
          <ProblemList problems={problems.filter((p) => !/^(edits|also|then)\[/.test(p.where ?? ''))} />
        </section>
        <section aria-label="Safety" className="space-y-2">
          <h3 className={heading}>Safety</h3>
          <SafetyForm
            type={type}
            edited={edited}
            safety={draft.safety}
            writeAgain={draft.writeAgain}
            onChange={(safety) => change({ safety })}
            onWriteAgain={(writeAgain) => change({ writeAgain })}
          />
        </section>
        <section aria-label="Why">
          <h3 className={heading}>
            <label htmlFor="why">Why{workspace.whyRequired ? ' (required)' : ''}</label>
          </h3>
          <textarea
            id="why"
            rows={2}
            className={`${textInput} h-auto! py-1.5`}
            placeholder="A note that stays with the run"
            value={draft.why}
            maxLength={2000}
            onChange={(e) => change({ why: e.target.value })}
          />
        </section>
      </div>
      <div className="space-y-2 border-t border-line p-4">
        <p className={stale ? 'text-quiet' : ''} role="status">
          {!counts ? (
            !isEdited ? (
              'Add an edit to see what it would do.'
            ) : problems.length > 0 ? (
              'Mend the job first; nothing can be counted yet.'
            ) : (
              '…'
            )
          ) : (
            <>
              <b className="font-semibold">
                {number(counts.willChange)} {willBe[job.act ?? 'change']}
              </b>
              {job.act === undefined && ` · ${number(counts.alreadyRight)} already right`} · {number(counts.notAllowed)}{' '}
              not allowed
              {job.then && ', and what comes of the further parts'}
              {stale && ' …'}
            </>
          )}
        </p>
        <Problems error={make.error} />
        <Button
          main
          className="w-full"
          busy={make.isPending}
          disabled={!counts || stale || (counts.willChange === 0 && !job.then) || whyMissing}
          onClick={() => make.mutate()}
        >
          {counts && !job.then ? `Preview ${number(counts.willChange)}` : 'Preview'}
        </Button>
        {isEdited && (
          <LinkButton className="text-xs" onClick={() => setSaving(true)}>
            Save…
          </LinkButton>
        )}
        {saving && (
          <Suspense>
            <SaveJob job={savable(job)} look={look} onClose={() => setSaving(false)} />
          </Suspense>
        )}
        {whyMissing && counts && <p className="text-pending">This workspace asks for a reason: say why.</p>}
      </div>
    </aside>
  );
}

/** What is picked or dropped by hand is of one time. */
function savable({ selection: { keys: _, drop: __, ...selection }, ...job }: JobBody): JobBody {
  return { ...job, selection };
}

/** The preview before may not be there any more: then there is nothing to compare with. */
async function previewAfter(job: JobBody, after: string | null): Promise<PreviewView> {
  try {
    return await api.makePreview(after === null ? job : { ...job, after });
  } catch (error) {
    if (after === null || !(error instanceof AnswerError) || error.code !== 'not_found') throw error;
    return api.makePreview(job);
  }
}

const heading = 'mb-1.5 text-xs font-semibold tracking-wide text-quiet uppercase';

const willBe = {
  create: 'will be made',
  change: 'will change',
  delete: 'will be deleted',
  copy: 'will be copied',
} as const;

const blankEdit: DraftEdit = { kind: 'set' };

/** Edits that are not filled in yet are not sent, so the service counts without them. */
function indexInJob(draft: Draft, i: number): number {
  return completeEdits(draft.edits.slice(0, i)).length;
}

const mostResults = 3;

/** What the first records in sight would get in a field, and why they would not. */
function resultsOf(rows: SampleView['rows'], field: string): Result[] {
  return rows.slice(0, mostResults).map((row) => ({
    record: row.name ?? row.key,
    key: row.key,
    change: row.changes.find((c) => c.field === field),
    cause: row.outcome === 'not_allowed' ? row.cause : null,
  }));
}
