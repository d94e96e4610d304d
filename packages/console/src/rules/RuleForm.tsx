import type { RuleBody, RuleView, TypeView } from '@tantamos/contract';
import { readAllowed, type Edit, type Problem } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useState, type FormEvent } from 'react';
import { api } from '../app/api';
import { Button } from '../components/Button';
import ExpressionBox from '../components/ExpressionBox';
import { Labelled, Line, textInput } from '../components/inputs';
import { ProblemList, Problems, problemsOf } from '../components/Problems';
import { EditCard } from '../job/EditCard';
import { completeEdits, type DraftEdit } from '../job/edits';
import { Lines } from '../job/edits/Lines';
import { useFields } from '../records/fields';
import { queries } from '../queries';

type Way = 'holds' | 'transitions' | 'choices';
type Allowed = { readonly from: string; readonly to: string };

const ways: Readonly<Record<Way, string>> = {
  holds: 'This is true of them',
  transitions: 'A field becomes only what it may',
  choices: 'Values of two fields go together',
};

/** A rule, read from top to bottom as the sentence it becomes. */
export default function RuleForm({ rule, onDone }: { rule: RuleView | null; onDone: () => void }) {
  const types = useQuery(queries.types());
  const [typeId, setTypeId] = useState(rule?.type ?? '');
  const type = useQuery({ ...queries.type(typeId), enabled: typeId !== '' });
  const readable = (types.data ?? []).filter((t) => t.notReadable === null);
  return (
    <div className="min-h-0 flex-1 space-y-4 overflow-auto p-4">
      <Labelled label="Of records of">
        {(id) => (
          <select
            id={id}
            className={textInput}
            value={typeId}
            disabled={rule !== null}
            autoFocus={rule === null}
            onChange={(e) => setTypeId(e.target.value)}
          >
            <option value="">Choose a type</option>
            {readable.map((t) => (
              <option key={t.id} value={t.id}>
                {t.label}
              </option>
            ))}
          </select>
        )}
      </Labelled>
      {type.data && <OfType key={type.data.id} type={type.data} rule={rule} onDone={onDone} />}
    </div>
  );
}

function OfType({ type, rule, onDone }: { type: TypeView; rule: RuleView | null; onDone: () => void }) {
  const fields = useFields(type);
  const table = rule?.transitions ?? rule?.choices;
  const [name, setName] = useState(rule?.name ?? '');
  const [message, setMessage] = useState(rule?.message ?? '');
  const [where, setWhere] = useState(rule?.where ?? '');
  const [way, setWay] = useState<Way>(rule?.transitions ? 'transitions' : rule?.choices ? 'choices' : 'holds');
  const [holds, setHolds] = useState(rule?.holds ?? '');
  const [field, setField] = useState(table?.field ?? '');
  const [by, setBy] = useState(rule?.choices?.by ?? '');
  const [allowed, setAllowed] = useState<readonly Allowed[]>(
    table?.allowed.map((l) => ({ from: l.from, to: l.to.map((v) => v || 'blank').join(', ') })) ?? [noLine],
  );
  const [mend, setMend] = useState<readonly DraftEdit[]>((rule?.mend ?? []) as readonly DraftEdit[]);
  const save = useMutation({
    mutationFn: async () => {
      const edits: readonly Edit[] = completeEdits(mend);
      const lines = allowed.filter((l) => l.from.trim() !== '').map((l) => readAllowed(l.from, l.to));
      const body: RuleBody = { name, type: type.id, message };
      if (where.trim()) body.where = where;
      if (way === 'holds') body.holds = holds;
      else if (way === 'transitions') body.transitions = { field, allowed: lines };
      else body.choices = { field, by, allowed: lines };
      if (edits.length > 0) body.mend = edits;
      if (rule) body.version = rule.version;
      const saved = await api.saveRule(body);
      // Who breaks it is seen before it is switched on.
      return saved.ofChange ? saved : api.countRule(saved.name);
    },
    onSuccess: onDone,
  });
  const problems = save.error ? problemsOf(save.error) : [];
  const at = (place: string): Problem[] => problems.filter((p) => p.where?.startsWith(place));
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    save.mutate();
  };
  const choosable = type.fields.filter((f) => f.base !== 'list' && f.refersTo === null && f.base !== 'other');
  const fieldChoice = (label: string, value: string, set: (name: string) => void) => (
    <Labelled label={label}>
      {(id) => (
        <select id={id} className={textInput} value={value} onChange={(e) => set(e.target.value)}>
          <option value="">Choose a field</option>
          {choosable.map((f) => (
            <option key={f.name} value={f.name}>
              {f.label}
            </option>
          ))}
        </select>
      )}
    </Labelled>
  );
  return (
    <form className="space-y-4" onSubmit={submit}>
      <Condition
        label="Where (all of them, if nothing is said)"
        name="Where"
        type={type}
        fields={fields}
        text={where}
        onText={setWhere}
        problems={at('where')}
      />
      <Labelled label="What must hold">
        {(id) => (
          <select id={id} className={textInput} value={way} onChange={(e) => setWay(e.target.value as Way)}>
            {(Object.entries(ways) as [Way, string][]).map(([w, words]) => (
              <option key={w} value={w}>
                {words}
              </option>
            ))}
          </select>
        )}
      </Labelled>
      {way === 'holds' && (
        <Condition
          label="It is true that"
          name="It is true that"
          type={type}
          fields={fields}
          text={holds}
          onText={setHolds}
          problems={at('holds')}
        />
      )}
      {way !== 'holds' && (
        <>
          {fieldChoice('Field', field, setField)}
          {way === 'choices' && fieldChoice('Narrowed by', by, setBy)}
          <Lines<Allowed>
            label={way === 'transitions' ? 'What it may become' : 'What goes with what'}
            heads={way === 'transitions' ? ['From', 'May become'] : ['Where that is', 'It may be']}
            widths={['w-2/5', 'w-3/5']}
            lines={allowed}
            empty={noLine}
            onChange={setAllowed}
            cells={(line, i, set) => [
              <input
                key="from"
                aria-label={`From, line ${i + 1}`}
                className={textInput}
                value={line.from}
                onChange={(e) => set({ from: e.target.value })}
              />,
              <input
                key="to"
                aria-label={`To, line ${i + 1}`}
                className={textInput}
                placeholder="one, another"
                value={line.to}
                onChange={(e) => set({ to: e.target.value })}
              />,
            ]}
          />
          <ProblemList problems={[...at('transitions'), ...at('choices')]} />
        </>
      )}
      <Line
        label="What a person is told when it is broken"
        value={message}
        onChange={setMessage}
        maxLength={500}
        placeholder="A waiting inspection needs a reason."
      />
      <fieldset className="space-y-2">
        <legend className="text-quiet">What puts a record right (if one thing always does)</legend>
        {mend.map((edit, i) => (
          <EditCard
            key={i}
            type={{ ...type, links: [] }}
            fields={fields}
            selection={{}}
            edit={edit}
            results={[]}
            before={[]}
            isNew={!edit.field}
            taken={mend.flatMap((e, j) => (j !== i && e.field ? [e.field] : []))}
            problems={at(`mend[${i}]`)}
            onChange={(next) => setMend(mend.map((e, j) => (j === i ? next : e)))}
            onRemove={() => setMend(mend.filter((_, j) => j !== i))}
          />
        ))}
        <Button onClick={() => setMend([...mend, { kind: 'set' }])}>
          <Plus className="size-4" aria-hidden="true" /> Add an edit
        </Button>
      </fieldset>
      <Line label="Name of the rule" value={name} onChange={setName} maxLength={100} disabled={rule !== null} />
      <Problems error={save.error} />
      <Button type="submit" main busy={save.isPending} disabled={name.trim() === '' || message.trim() === ''}>
        Save and count who breaks it
      </Button>
    </form>
  );
}

const noLine: Allowed = { from: '', to: '' };

function Condition({
  label,
  name,
  ...box
}: { label: string; name: string } & Pick<
  Parameters<typeof ExpressionBox>[0],
  'type' | 'fields' | 'text' | 'onText' | 'problems'
>) {
  return (
    <div className="space-y-1">
      <p className="text-quiet">{label}</p>
      <ExpressionBox {...box} label={name} example="a condition" />
      <ProblemList problems={box.problems} />
    </div>
  );
}
