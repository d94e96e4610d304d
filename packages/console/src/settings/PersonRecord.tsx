import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { LinkButton } from '../components/Button';
import { Picker } from '../components/Picker';
import { queries } from '../queries';

interface Person {
  readonly type: string;
  readonly key: string;
  readonly name: string | null;
}

/** The record of a person that an account stands for: which type holds people, and who of them. */
export function PersonRecord({
  value,
  onChange,
  hint,
}: {
  value: Person | null;
  onChange: (person: Person | null) => void;
  hint: string;
}) {
  const types = useQuery(queries.types());
  const [chosen, setChosen] = useState<string | null>(value?.type ?? null);
  const [typed, setTyped] = useState('');
  const type = chosen ?? value?.type ?? null;
  const found = useQuery({ ...queries.lookup(type ?? '', typed), enabled: type !== null });
  const named = types.data?.filter((t) => t.nameField !== null && t.key.length === 1) ?? [];
  return (
    <div className="space-y-1">
      <p className="text-quiet">Stands for</p>
      <div className="flex gap-2">
        <Picker
          label="Type that holds people"
          className="w-40"
          value={type}
          shown={named.find((t) => t.id === type)?.label ?? <span className="text-quiet">Type</span>}
          options={named.map((t) => ({ id: t.id, label: t.label, more: t.comment ?? '', note: null }))}
          onPick={setChosen}
        />
        {type !== null && (
          <Picker
            label="Whose record"
            className="flex-1"
            value={value?.type === type ? value.key : null}
            shown={
              value?.type === type ? (value.name ?? value.key) : <span className="text-quiet">Choose by name</span>
            }
            options={(found.data ?? []).map((r) => ({
              id: r.key,
              label: r.name,
              more: r.hint,
              note: r.hint.slice(0, 30) || `no. ${r.key}`,
            }))}
            onSearch={setTyped}
            onPick={(key) => onChange({ type, key, name: found.data?.find((r) => r.key === key)?.name ?? null })}
          />
        )}
      </div>
      <p className="text-xs text-quiet">
        {hint} {value && <LinkButton onClick={() => (setChosen(null), onChange(null))}>Nobody</LinkButton>}
      </p>
    </div>
  );
}
