import type { AskedInputView, SavedJobView } from '@tantamos/contract';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useNavigate } from 'react-router';
import { api, queryClient } from '../app/api';
import { usePerson } from '../app/session';
import { DateBox } from '../components/DateBox';
import { Button } from '../components/Button';
import { number } from '../components/format';
import { Labelled, Line, textInput } from '../components/inputs';
import { ProblemList, Problems, problemsOf } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { Chooser } from '../files/Chooser';
import { ReferenceInput } from '../job/ValueInput';
import { queries } from '../queries';

/** A form made from what a saved job asks for; it leads to the preview. */
export default function UseJob({ job, onClose }: { job: SavedJobView; onClose: () => void }) {
  const navigate = useNavigate();
  const { workspace } = usePerson();
  const [said, setSaid] = useState<Readonly<Record<string, string>>>(
    // A list that nothing is pasted for is the one that was saved.
    Object.fromEntries(job.asks.map((a) => [a.name, a.kind === 'list' ? '' : a.usual])),
  );
  const [why, setWhy] = useState(job.job.why ?? '');
  const isList = (name: string): boolean => job.asks.some((a) => a.name === name && a.kind === 'list');
  const use = useMutation({
    mutationFn: () =>
      api.useJob(job.name, {
        inputs: Object.fromEntries(Object.entries(said).filter(([n, v]) => v !== '' || !isList(n))),
        ...(why.trim() ? { why: why.trim() } : {}),
      }),
    onSuccess: (p) => {
      void queryClient.invalidateQueries(queries.savedJobs());
      void navigate(`/previews/${p.id}`);
    },
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    use.mutate();
  };
  return (
    <Sheet open onClose={onClose} side="right" width="w-100" title={`Use “${job.name}”`} about={job.note ?? undefined}>
      <form className="min-h-0 flex-1 space-y-4 overflow-auto p-4" onSubmit={submit}>
        <p className="text-quiet">{job.sentence}</p>
        {job.asks.map((ask) => (
          <Asked
            key={ask.name}
            ask={ask}
            value={said[ask.name] ?? ''}
            onChange={(value) => setSaid({ ...said, [ask.name]: value })}
          />
        ))}
        <Line
          label={`Why${workspace.whyRequired ? ' (required)' : ''}`}
          value={why}
          onChange={setWhy}
          maxLength={2000}
        />
        <ProblemList problems={use.error ? problemsOf(use.error) : []} />
        <Button type="submit" main busy={use.isPending}>
          Preview
        </Button>
      </form>
    </Sheet>
  );
}

function Asked({ ask, value, onChange }: { ask: AskedInputView; value: string; onChange: (value: string) => void }) {
  const { name, label, kind, type, choices, among, from, to } = ask;
  const title = label.toLowerCase() === name.toLowerCase() ? capital(name) : `${capital(name)} (${label})`;
  if (kind === 'record' && type !== null && !among)
    return (
      <div className="space-y-1">
        <p className="text-quiet">{title}</p>
        <ReferenceInput typeId={type} label={title} value={value} onChange={onChange} />
      </div>
    );
  if (kind === 'list')
    return (
      <Labelled label={title} hint="Nothing pasted: the list that was saved with the job.">
        {(id) => (
          <textarea
            id={id}
            rows={6}
            className={`${textInput} h-auto! py-1.5`}
            placeholder="Paste lines"
            value={value}
            onChange={(e) => onChange(e.target.value)}
          />
        )}
      </Labelled>
    );
  if (kind === 'file') return <FileAsked title={title} onFile={onChange} />;
  const options = choices ?? among?.map((v) => ({ value: v, label: v })) ?? (kind === 'yes_no' ? yesNo : null);
  return (
    <Labelled label={title} hint={from || to ? `From ${from ?? '…'} to ${to ?? '…'}` : undefined}>
      {(id) =>
        options ? (
          <select id={id} className={textInput} value={value} onChange={(e) => onChange(e.target.value)}>
            {options.map((c) => (
              <option key={c.value} value={c.value}>
                {c.label}
              </option>
            ))}
          </select>
        ) : kind === 'date' ? (
          <DateBox id={id} className={textInput} value={value} onChange={onChange} />
        ) : (
          <input
            id={id}
            inputMode={kind === 'number' ? 'decimal' : undefined}
            className={textInput}
            value={value}
            onChange={(e) => onChange(e.target.value)}
          />
        )
      }
    </Labelled>
  );
}

/** A file of values: it is sent at once, and its id is what is said. */
function FileAsked({ title, onFile }: { title: string; onFile: (id: string) => void }) {
  const [chosen, setChosen] = useState<File | null>(null);
  const send = useMutation({
    mutationFn: (file: File) => api.uploadFile({ name: file.name }, file),
    onSuccess: ({ id }) => onFile(id),
  });
  const take = (file: File): void => {
    setChosen(file);
    onFile('');
    send.mutate(file);
  };
  return (
    <div className="space-y-1" role="group" aria-label={title}>
      <p className="text-quiet">{title}</p>
      <Chooser file={chosen} busy={send.isPending} onFile={take} />
      {send.data && !send.isPending && <p className="text-xs text-quiet">{number(send.data.rows)} rows</p>}
      <Problems error={send.error} />
    </div>
  );
}

const yesNo = [
  { value: 'true', label: 'Yes' },
  { value: 'false', label: 'No' },
];
const capital = (text: string): string => (text[0] ?? '').toUpperCase() + text.slice(1).replaceAll('_', ' ');
