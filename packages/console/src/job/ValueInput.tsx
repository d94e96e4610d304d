import type { FieldView } from '@tantamos/contract';
import { quote } from '@tantamos/core';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../app/api';
import { textInput } from '../components/inputs';
import { Picker } from '../components/Picker';

interface Props {
  field: FieldView;
  value: string;
  onChange: (value: string) => void;
}

/** An input that fits the field: choices as a list, records by name, dates by calendar. */
export function ValueInput({ field, value, onChange }: Props) {
  const label = `Value for ${field.label}`;
  if (field.refersTo !== null)
    return <ReferenceInput typeId={field.refersTo} label={label} value={value} onChange={onChange} />;
  const options =
    field.choices ??
    (field.base === 'yes_no'
      ? [
          { value: 'true', label: 'Yes' },
          { value: 'false', label: 'No' },
        ]
      : null);
  if (options)
    return (
      <select aria-label={label} className={textInput} value={value} onChange={(e) => onChange(e.target.value)}>
        <option value="" disabled>
          Choose
        </option>
        {options.map((c) => (
          <option key={c.value} value={c.value}>
            {c.label}
          </option>
        ))}
      </select>
    );
  const kind = field.base === 'date' ? 'date' : 'text';
  const hint =
    field.base === 'moment' ? '2026-05-01T08:00:00Z' : field.base === 'number' ? (field.scale ? '0.00' : '0') : 'Text';
  return (
    <input
      aria-label={label}
      type={kind}
      inputMode={field.base === 'number' ? 'decimal' : undefined}
      placeholder={hint}
      className={textInput}
      value={value}
      onChange={(e) => onChange(e.target.value)}
    />
  );
}

/** Records of the type by typing part of a name; what is kept is the key behind the name. */
function ReferenceInput({
  typeId,
  label,
  value,
  onChange,
}: {
  typeId: string;
  label: string;
  value: string;
  onChange: (v: string) => void;
}) {
  const [text, setText] = useState('');
  const type = useQuery({ queryKey: ['type', typeId], queryFn: () => api.type(typeId) });
  const name = type.data?.nameField;
  const key = type.data?.key[0];
  // A small type is read whole; of a large one, what begins with the text as typed.
  const small = (type.data?.about ?? 0) <= 1000;
  const filter = small || text === '' || !name ? '' : `${name} LIKE ${quote(`${text.replace(/[\\%_]/g, '\\$&')}%`)}`;
  const tell = type.data?.fields.find((f) => f.unique && f.base === 'text' && f.name !== name)?.name;
  const found = useQuery({
    queryKey: ['names', typeId, filter],
    queryFn: () =>
      api.find(typeId, {
        filter,
        columns: [key!, name!, ...(tell ? [tell] : [])],
        sort: [name!],
        limit: small ? 1000 : 100,
      }),
    enabled: Boolean(name && key),
    placeholderData: keepPreviousData,
  });
  const chosen = useQuery({
    queryKey: ['name', typeId, value],
    queryFn: () => api.record(typeId, value),
    enabled: value !== '',
    retry: false,
  });
  const options = (found.data?.records ?? []).map(({ values: [k, n, t] }) => ({
    id: k!.value!,
    label: n!.value ?? k!.value!,
    more: t?.value ?? '',
    note: t?.value ?? `no. ${k!.value}`,
  }));
  const shown = value === '' ? <span className="text-quiet">Choose by name</span> : (chosen.data?.name ?? value);
  return (
    <Picker
      label={label}
      shown={shown}
      options={options}
      value={value}
      onPick={onChange}
      onSearch={setText}
      className="w-full"
    />
  );
}
