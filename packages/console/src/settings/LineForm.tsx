import type { AccountView, RightLineBody, RoleView } from '@tantamos/contract';
import { actWords, isAboutTypes, isByField, isByRecord, rightActs } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api } from '../app/api';
import { Button } from '../components/Button';
import { Labelled, textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { queries } from '../queries';

type Act = RightLineBody['acts'][number];

/** A line of rights, read from top to bottom as the sentence it becomes. */
export function LineForm({
  roles,
  accounts,
  onDone,
}: {
  roles: readonly RoleView[];
  accounts: readonly AccountView[];
  onDone: () => void;
}) {
  const types = useQuery(queries.types());
  const [who, setWho] = useState(`role ${roles[0]?.id ?? ''}`);
  const [effect, setEffect] = useState<'allow' | 'deny'>('allow');
  const [acts, setActs] = useState<readonly Act[]>(['see']);
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [fields, setFields] = useState<readonly string[]>([]);
  const [filter, setFilter] = useState('');
  const [most, setMost] = useState('');
  const one = chosen.length === 1 ? chosen[0]! : null;
  const type = useQuery({ ...queries.type(one ?? ''), enabled: one !== null });
  const aboutTypes = acts.length > 0 && acts.every(isAboutTypes);
  const byField = one !== null && acts.length > 0 && acts.every(isByField);
  const byRecord = one !== null && acts.length > 0 && acts.every(isByRecord);
  const onlyMany = acts.length === 1 && acts[0] === 'change_many';
  const add = useMutation({
    mutationFn: () =>
      api.addRight({
        ...(who.startsWith('role ') ? { role: who.slice(5) } : { login: who.slice(6) }),
        effect,
        acts: [...acts],
        types: aboutTypes && chosen.length > 0 ? [...chosen] : null,
        fields: byField && fields.length > 0 ? [...fields] : null,
        filter: byRecord && filter.trim() ? filter : null,
        most: onlyMany && most ? Number(most) : null,
      }),
    onSuccess: onDone,
  });
  const toggle = <T,>(all: readonly T[], one: T): T[] =>
    all.includes(one) ? all.filter((a) => a !== one) : [...all, one];
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    add.mutate();
  };
  return (
    <form className="min-h-0 flex-1 space-y-4 overflow-auto p-4" onSubmit={submit}>
      <Labelled label="Who">
        {(id) => (
          <select id={id} className={textInput} value={who} onChange={(e) => setWho(e.target.value)} autoFocus>
            <optgroup label="All who have the role">
              {roles.map((r) => (
                <option key={r.id} value={`role ${r.id}`}>
                  {r.label}
                </option>
              ))}
            </optgroup>
            <optgroup label="One person">
              {accounts.map((a) => (
                <option key={a.id} value={`login ${a.login}`}>
                  {a.name} ({a.login})
                </option>
              ))}
            </optgroup>
          </select>
        )}
      </Labelled>
      <Labelled label="May, or may not">
        {(id) => (
          <select
            id={id}
            className={textInput}
            value={effect}
            onChange={(e) => setEffect(e.target.value as 'allow' | 'deny')}
          >
            <option value="allow">may</option>
            <option value="deny">may not, whatever else allows it</option>
          </select>
        )}
      </Labelled>
      <Checks
        legend="Do what"
        all={rightActs.map((a) => ({ id: a, label: actWords(a) }))}
        on={acts}
        onToggle={(a) => setActs(toggle(acts, a as Act))}
      />
      {aboutTypes && (
        <Checks
          legend={chosen.length === 0 ? 'With records of (none ticked: every type)' : 'With records of'}
          all={(types.data ?? []).map((t) => ({ id: t.id, label: t.label }))}
          on={chosen}
          onToggle={(t) => (setChosen(toggle(chosen, t)), setFields([]))}
        />
      )}
      {byField && type.data && (
        <Checks
          legend={fields.length === 0 ? 'Of their fields (none ticked: every field)' : 'Of their fields only'}
          all={type.data.fields.map((f) => ({ id: f.name, label: f.label }))}
          on={fields}
          onToggle={(f) => setFields(toggle(fields, f))}
        />
      )}
      {byRecord && (
        <Labelled label="Only records where" hint="A filter in CQL2, such as owner = me(). Blank: every record.">
          {(id) => (
            <textarea
              id={id}
              rows={2}
              spellCheck={false}
              className={`${textInput} h-auto! py-1.5 font-mono text-xs`}
              value={filter}
              onChange={(e) => setFilter(e.target.value)}
            />
          )}
        </Labelled>
      )}
      {onlyMany && (
        <Labelled label="Records a run, at most" hint="Blank: any number.">
          {(id) => (
            <input
              id={id}
              inputMode="numeric"
              className={`${textInput} w-32!`}
              value={most}
              onChange={(e) => setMost(e.target.value.replace(/\D/g, '').slice(0, 12))}
            />
          )}
        </Labelled>
      )}
      <Problems error={add.error} />
      <Button main type="submit" busy={add.isPending} disabled={acts.length === 0}>
        Add the line
      </Button>
    </form>
  );
}

function Checks({
  legend,
  all,
  on,
  onToggle,
}: {
  legend: string;
  all: readonly { id: string; label: string }[];
  on: readonly string[];
  onToggle: (id: string) => void;
}) {
  return (
    <fieldset>
      <legend className="pb-1 text-quiet">{legend}</legend>
      <div className="grid max-h-44 grid-cols-2 gap-x-3 overflow-auto rounded border border-line bg-paper p-2">
        {all.map((o) => (
          <label key={o.id} className="flex items-center gap-1.5 py-0.5">
            <input
              type="checkbox"
              className="accent-accent"
              checked={on.includes(o.id)}
              onChange={() => onToggle(o.id)}
            />
            <span className="min-w-0 truncate">{o.label}</span>
          </label>
        ))}
      </div>
    </fieldset>
  );
}
