import type { ConstantView, JobBody, JobInputBody } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api, queryClient } from '../app/api';
import { usePerson } from '../app/session';
import { Button } from '../components/Button';
import { Line, textInput } from '../components/inputs';
import { ProblemList, Problems, problemsOf } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { Trouble, Working } from '../components/states';
import { queries } from '../queries';
import { isOfOneTime } from '@tantamos/core';
import type { View } from './draft';

/** What is asked for in the place of a value; null: the value stays. */
type Asked = {
  readonly name: string;
  /** How it is called in the form; empty: as the field is. */
  readonly label: string;
  readonly usual: string;
  /** Of numbers and days `1..9`; of others what may be chosen, with commas between. */
  readonly only: string;
} | null;

const unsaid = { label: '', usual: '', only: '' };

interface Props {
  job: JobBody;
  /** How its records are looked at. */
  look: Pick<View, 'columns' | 'sort'>;
  onClose: () => void;
}

/** Saves the job under a name, with what is to be asked for each time instead of the value that stands in it. */
export default function SaveJob({ job, look, onClose }: Props) {
  const constants = useQuery(queries.constants(job));
  return (
    <Sheet open onClose={onClose} side="right" width="w-120" title="Save this job">
      {constants.isPending ? (
        <Working what="Reading the job" />
      ) : constants.isError ? (
        <Trouble error={constants.error} />
      ) : (
        <Form job={job} look={look} constants={constants.data} onDone={onClose} />
      )}
    </Sheet>
  );
}

function Form({
  job,
  look,
  constants,
  onDone,
}: {
  job: JobBody;
  look: Props['look'];
  constants: readonly ConstantView[];
  onDone: () => void;
}) {
  const { may } = usePerson();
  const [name, setName] = useState('');
  const [folder, setFolder] = useState('');
  const [note, setNote] = useState('');
  const [open, setOpen] = useState(false);
  const [people, setPeople] = useState('');
  const [asked, setAsked] = useState<readonly Asked[]>(
    // A pasted list is of one time, and so is a file: they are asked for.
    constants.map((c) => (isOfOneTime(c.spot) ? { ...unsaid, name: c.kind } : null)),
  );
  const save = useMutation({
    mutationFn: () =>
      api.saveJob({
        name,
        job,
        inputs: inputsOf(constants, asked),
        look: { ...(look.columns && { columns: [...look.columns] }), ...(look.sort && { sort: [...look.sort] }) },
        folder: folder.trim() || null,
        note: note.trim() || null,
        open,
        ...(people.trim()
          ? {
              people: people
                .split(',')
                .map((p) => p.trim())
                .filter(Boolean),
            }
          : {}),
      }),
    onSuccess: () => {
      void queryClient.invalidateQueries(queries.savedJobs());
      onDone();
    },
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    save.mutate();
  };
  const set = (i: number, next: Asked): void => setAsked(asked.map((a, j) => (j === i ? next : a)));
  const problems = save.error ? problemsOf(save.error) : [];
  return (
    <form className="min-h-0 flex-1 space-y-4 overflow-auto p-4" onSubmit={submit}>
      <Line label="Name" value={name} onChange={setName} maxLength={100} autoFocus required />
      <Line label="Folder" value={folder} onChange={setFolder} maxLength={100} placeholder="none" />
      <Line label="Note" value={note} onChange={setNote} maxLength={2000} placeholder="What it is for" />
      {may.includes('keep_open') && (
        <label className="flex items-center gap-2">
          <input type="checkbox" className="accent-accent" checked={open} onChange={(e) => setOpen(e.target.checked)} />
          Open to all who may see its records
        </label>
      )}
      {may.includes('keep_open') && !open && (
        <Line label="Shared with" value={people} onChange={setPeople} placeholder="logins, with commas between" />
      )}
      {constants.length > 0 && (
        <fieldset className="space-y-2">
          <legend className="text-quiet">Ask each time, instead of</legend>
          {constants.map((c, i) => {
            const ask = asked[i] ?? null;
            return (
              <div key={`${c.spot.at} ${c.spot.literal ?? ''}`} className="space-y-1.5">
                <label className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    className="accent-accent"
                    checked={ask !== null}
                    disabled={isOfOneTime(c.spot)}
                    onChange={(e) => set(i, e.target.checked ? { ...unsaid, name: nameFor(c, asked) } : null)}
                  />
                  <span className="min-w-0 wrap-anywhere">
                    {c.label}
                    {isOfOneTime(c.spot) ? '' : ': '}
                    {!isOfOneTime(c.spot) && <b className="font-medium">{c.shown}</b>}
                  </span>
                </label>
                {ask && c.kind !== 'list' && <AskedFor constant={c} ask={ask} onAsk={(next) => set(i, next)} />}
              </div>
            );
          })}
        </fieldset>
      )}
      <ProblemList problems={problems} />
      {problems.length === 0 && <Problems error={save.error} />}
      <Button type="submit" main busy={save.isPending} disabled={name.trim() === ''}>
        Save
      </Button>
    </form>
  );
}

/** How a value is asked for: its name, what it is called in the form, what is usual, what may be said. */
function AskedFor({
  constant: c,
  ask,
  onAsk,
}: {
  constant: ConstantView;
  ask: NonNullable<Asked>;
  onAsk: (next: Asked) => void;
}) {
  const line = (of: keyof NonNullable<Asked>, label: string, placeholder: string, mono = '') => (
    <input
      aria-label={`${label} ${c.shown}`}
      className={`${textInput} ${mono}`}
      placeholder={placeholder}
      value={ask[of]}
      onChange={(e) => onAsk({ ...ask, [of]: e.target.value })}
    />
  );
  return (
    <div className="grid grid-cols-2 gap-2 pl-6">
      {line('name', 'Name of what is asked for instead of', 'name')}
      {line('label', 'Label of what is asked for instead of', `label: ${c.label}`)}
      {c.kind !== 'file' && (
        <>
          {line(
            'usual',
            'Usually, instead of',
            c.kind === 'date' ? 'usually: TODAY() + 7' : `usually: ${c.shown}`,
            'font-mono text-xs',
          )}
          {line('only', 'Only, instead of', isRanged(c) ? 'only: 1..100' : 'only: one, another')}
        </>
      )}
    </div>
  );
}

/** A name that is free: the field’s, in one word. */
function nameFor({ label }: ConstantView, asked: readonly Asked[]): string {
  const base = label.replace(/[^\p{L}\p{N}]+/gu, '_').replace(/^[^\p{L}]+|_+$/gu, '') || 'value';
  const taken = new Set(asked.map((a) => a?.name));
  for (let n = 1; ; n++) {
    const name = n === 1 ? base : `${base}_${n}`;
    if (!taken.has(name)) return name;
  }
}

const isRanged = ({ kind }: ConstantView): boolean => kind === 'number' || kind === 'date';

function onlyOf(constant: ConstantView, text: string): Pick<JobInputBody, 'from' | 'to' | 'among'> {
  if (text.trim() === '') return {};
  if (isRanged(constant)) {
    const [from = '', to = ''] = text.split('..').map((t) => t.trim());
    return { ...(from ? { from } : {}), ...(to ? { to } : {}) };
  }
  return {
    among: text
      .split(',')
      .map((t) => t.trim())
      .filter(Boolean),
  };
}

/** Those of one name take the places of several values. */
function inputsOf(constants: readonly ConstantView[], asked: readonly Asked[]): JobInputBody[] {
  const inputs = new Map<string, JobInputBody>();
  asked.forEach((ask, i) => {
    if (!ask) return;
    const constant = constants[i]!;
    const { spot, label } = constant;
    const before = inputs.get(ask.name);
    inputs.set(ask.name, {
      name: ask.name,
      label: ask.label.trim() || before?.label || label,
      spots: [...(before?.spots ?? []), { ...spot }],
      ...(ask.usual.trim() ? { usual: ask.usual.trim() } : before?.usual ? { usual: before.usual } : {}),
      ...onlyOf(constant, ask.only),
    });
  });
  return [...inputs.values()];
}
