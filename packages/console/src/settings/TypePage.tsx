import type { FieldSettingsBody, FieldView, TypeSettingsBody, TypeView } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { Link, useParams } from 'react-router';
import { api, queryClient } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { Labelled, Line, textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import { queries } from '../queries';

/** What administrators say of one type and its fields. */
export function TypePage() {
  const { type: id = '' } = useParams();
  const type = useQuery(queries.typeSettings(id));
  if (type.isPending) return <Working what="Reading the type" />;
  if (type.isError) return <Trouble error={type.error} onRetry={() => void type.refetch()} />;
  return (
    <>
      <div>
        <Link to="/settings/types" className="text-accent-strong underline decoration-1 underline-offset-2">
          Types and fields
        </Link>
        <h1 className="mt-1 text-base font-semibold">
          {type.data.label} <span className="font-mono text-xs font-normal text-quiet">{type.data.id}</span>
        </h1>
        {type.data.comment && <p className="text-quiet">{type.data.comment}</p>}
      </div>
      <TypeForm key={JSON.stringify([id, { ...type.data, fields: null, about: 0 }])} type={type.data} />
      <section className="space-y-2">
        <h2 className="font-medium">Fields</h2>
        <Table
          label="Fields"
          heads={['Field', 'Called', 'Kind', 'Hidden', 'Protected', 'Not in forms', 'Order'].map((label) => ({
            label,
          }))}
        >
          {type.data.fields.map((f, i, all) => (
            <FieldLine key={`${f.name} ${f.label}`} type={id} field={f} before={i} all={all} />
          ))}
        </Table>
      </section>
    </>
  );
}

const paceNames = [
  { name: 'usualBatch', label: 'Usual batch', usual: 'as is usual' },
  { name: 'usualAtOnce', label: 'Usual batches at once', usual: '1' },
  { name: 'usualPace', label: 'Usual share of the time, %', usual: '50' },
  { name: 'mostAtOnce', label: 'Most batches at once', usual: '16' },
  { name: 'mostPace', label: 'Largest share of the time, %', usual: '100' },
] as const;

function TypeForm({ type }: { type: TypeView }) {
  const [label, setLabel] = useState(type.label);
  const [nameField, setNameField] = useState(type.nameField ?? '');
  const [owners, setOwners] = useState<readonly string[]>(type.ownerFields);
  const [active, setActive] = useState(type.activeField ?? '');
  const [open, setOpen] = useState(type.openWhen ?? '');
  const [newKeys, setNewKeys] = useState<TypeView['newKeys'] | ''>(type.newKeys ?? '');
  const [refuses, setRefuses] = useState(type.refusesInactive);
  const [hidden, setHidden] = useState(type.hidden);
  const [most, setMost] = useState(type.bounds.mostRecords === null ? '' : String(type.bounds.mostRecords));
  const [typed, setTyped] = useState(String(type.bounds.typedFrom));
  const [batch, setBatch] = useState(String(type.bounds.largestBatch));
  const [pacing, setPacing] = useState(() => paceNames.map(({ name }) => String(type.bounds[name] ?? '')));
  const save = useMutation({
    mutationFn: () => {
      const body: TypeSettingsBody = {};
      if (label !== type.label) body.label = label.trim() || null;
      if (nameField !== (type.nameField ?? '')) body.nameField = nameField || null;
      if (owners.join() !== type.ownerFields.join()) body.ownerFields = [...owners];
      if (active !== (type.activeField ?? '')) body.activeField = active || null;
      if (open.trim() !== (type.openWhen ?? '')) body.openWhen = open.trim() || null;
      if (newKeys !== (type.newKeys ?? '')) body.newKeys = newKeys || null;
      if (refuses !== type.refusesInactive) body.refusesInactive = refuses;
      if (hidden !== type.hidden) body.hidden = hidden;
      if (most !== String(type.bounds.mostRecords ?? '')) body.mostRecords = most.trim() ? Number(most) : null;
      if (typed !== String(type.bounds.typedFrom)) body.typedFrom = typed.trim() ? Number(typed) : null;
      if (batch !== String(type.bounds.largestBatch)) body.largestBatch = batch.trim() ? Number(batch) : null;
      for (const [i, { name }] of paceNames.entries())
        if (pacing[i] !== String(type.bounds[name] ?? '')) body[name] = pacing[i]!.trim() ? Number(pacing[i]) : null;
      return api.setType(type.id, body);
    },
    onSuccess: () => settingsChanged(type.id),
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    save.mutate();
  };
  const references = type.fields.filter((f) => f.kind === 'reference');
  const choice = (
    title: string,
    value: string,
    set: (v: string) => void,
    fields: readonly FieldView[],
    none: string,
  ) => (
    <Labelled label={title}>
      {(id) => (
        <select id={id} className={textInput} value={value} onChange={(e) => set(e.target.value)}>
          <option value="">{none}</option>
          {fields.map((f) => (
            <option key={f.name} value={f.name}>
              {f.label}
            </option>
          ))}
        </select>
      )}
    </Labelled>
  );
  return (
    <form className="grid max-w-4xl gap-4 sm:grid-cols-3" onSubmit={submit}>
      <Line label="Called" value={label} onChange={setLabel} maxLength={200} />
      {choice('A record is named by', nameField, setNameField, type.fields, 'as the database has it')}
      {choice(
        'Who is not to be chosen any more is told by',
        active,
        setActive,
        type.fields.filter((f) => f.base === 'yes_no'),
        'no field',
      )}
      <Line
        label="No run may change more than"
        value={most}
        onChange={setMost}
        inputMode="numeric"
        placeholder="no limit"
      />
      <Line label="The number must be typed from" value={typed} onChange={setTyped} inputMode="numeric" />
      <Line label="Largest batch" value={batch} onChange={setBatch} inputMode="numeric" />
      {paceNames.map(({ name, label: words, usual }, i) => (
        <Line
          key={name}
          label={words}
          value={pacing[i]!}
          onChange={(v) => setPacing(pacing.map((p, j) => (j === i ? v : p)))}
          inputMode="numeric"
          placeholder={usual}
        />
      ))}
      <Labelled label="Keys of new records are">
        {(id) => (
          <select
            id={id}
            className={textInput}
            value={newKeys ?? ''}
            onChange={(e) => setNewKeys(e.target.value as typeof newKeys)}
          >
            <option value="">made by the database, or given</option>
            <option value="highest">one more than the highest</option>
            <option value="uuid">random UUIDs</option>
          </select>
        )}
      </Labelled>
      <div className="sm:col-span-3">
        <Line
          label="Open are those where"
          hint="What a hand over takes of them unless all are asked for, such as: state <> 'done'"
          value={open}
          onChange={setOpen}
          placeholder="all of them"
          maxLength={10_000}
        />
      </div>
      <fieldset className="space-y-1">
        <legend className="text-quiet">Owners: who answers for a record</legend>
        {references.map((f) => (
          <Tick
            key={f.name}
            label={f.label}
            checked={owners.includes(f.name)}
            onChange={(on) => setOwners(on ? [...owners, f.name] : owners.filter((o) => o !== f.name))}
          />
        ))}
        {references.length === 0 && <p className="text-quiet">It has no references.</p>}
      </fieldset>
      <div className="space-y-1 self-end">
        <Tick label="Inactive ones may not be chosen at all" checked={refuses} onChange={setRefuses} />
        <Tick label="Shown to administrators only" checked={hidden} onChange={setHidden} />
      </div>
      <div className="space-y-2 self-end sm:col-span-3">
        <Problems error={save.error} />
        <Button type="submit" main busy={save.isPending}>
          Save
        </Button>
      </div>
    </form>
  );
}

function FieldLine({
  type,
  field,
  before,
  all,
}: {
  type: string;
  field: FieldView;
  /** How many fields stand before it, and all of them. */
  before: number;
  all: readonly FieldView[];
}) {
  const [label, setLabel] = useState(field.label);
  const set = useMutation({
    mutationFn: (body: FieldSettingsBody) => api.setField(type, field.name, body),
    onSettled: () => settingsChanged(type),
  });
  const up = useMutation({
    mutationFn: () => {
      const names = all.map((f) => f.name);
      names.splice(before - 1, 2, names[before]!, names[before - 1]!);
      return api.setType(type, { fieldOrder: names });
    },
    onSettled: () => settingsChanged(type),
  });
  return (
    <tr>
      <td className={`${tableCell} font-mono text-xs`}>{field.name}</td>
      <td className={`${tableCell} w-full`}>
        <input
          aria-label={`What ${field.name} is called`}
          className={`${textInput} max-w-sm`}
          value={label}
          maxLength={200}
          onChange={(e) => setLabel(e.target.value)}
          onBlur={() => label !== field.label && set.mutate({ label: label.trim() || null })}
          onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
        />
        <Problems error={set.error ?? up.error} />
      </td>
      <td className={tableCell}>{field.kind.replace('_', '/')}</td>
      <Flag label={`Hide ${field.name}`} is={field.hidden} onSay={(hidden) => set.mutateAsync({ hidden })} />
      <Flag
        label={`Protect ${field.name}`}
        is={field.protected}
        onSay={(protects) => set.mutateAsync({ protected: protects })}
      />
      <Flag
        label={`Leave ${field.name} out of forms for several`}
        title="The form for several records has it only where a rule asks for it"
        is={field.leftOut ?? false}
        onSay={(leftOut) => set.mutateAsync({ leftOut })}
      />
      <td className={tableCell}>
        {before > 0 && (
          <LinkButton aria-label={`Move ${field.name} up`} disabled={up.isPending} onClick={() => up.mutate()}>
            Up
          </LinkButton>
        )}
      </td>
    </tr>
  );
}

/** What was said is shown at once; what came of it, when the service has answered. */
function Flag({
  label,
  title,
  is,
  onSay,
}: {
  label: string;
  title?: string;
  is: boolean;
  onSay: (on: boolean) => Promise<unknown>;
}) {
  const [said, setSaid] = useState<boolean | null>(null);
  const say = (on: boolean): void => {
    setSaid(on);
    // What went wrong stands beside the name.
    void onSay(on)
      .catch(() => {})
      .finally(() => setSaid(null));
  };
  return (
    <td className={tableCell}>
      <input
        type="checkbox"
        aria-label={label}
        title={title}
        className="accent-accent"
        checked={said ?? is}
        onChange={(e) => say(e.target.checked)}
      />
    </td>
  );
}

function Tick({ label, checked, onChange }: { label: string; checked: boolean; onChange: (on: boolean) => void }) {
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" className="accent-accent" checked={checked} onChange={(e) => onChange(e.target.checked)} />
      {label}
    </label>
  );
}

async function settingsChanged(id: string): Promise<void> {
  await Promise.all(
    [queries.typeSettings(id).queryKey, queries.types().queryKey, queries.type(id).queryKey, ['setting-changes']].map(
      (queryKey) => queryClient.invalidateQueries({ queryKey }),
    ),
  );
}
