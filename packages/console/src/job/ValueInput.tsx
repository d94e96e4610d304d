import type { FieldView } from '@tantamos/contract';
import { quote } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { DateBox } from '../components/DateBox';
import { textInput } from '../components/inputs';
import { lookOf } from '../components/kinds';
import { Picker } from '../components/Picker';
import { queries } from '../queries';

interface Props {
  field: FieldView;
  value: string;
  /** `shown`: the value as people read it, where that is another text. */
  onChange: (value: string, shown?: string) => void;
  /** It stands for what was just opened: the cursor is in it, a list is open. */
  isNew?: boolean;
}

/** An input that fits the field: choices as a list, records by name, dates by calendar. */
export function ValueInput({ field, value, onChange, isNew = false }: Props) {
  const label = `Value for ${field.label}`;
  if (field.refersTo !== null)
    return <ReferenceInput typeId={field.refersTo} label={label} value={value} onChange={onChange} isNew={isNew} />;
  const { input } = lookOf(field.base);
  const options = field.choices ?? input.options ?? null;
  if (options)
    return (
      <select
        autoFocus={isNew}
        aria-label={label}
        className={textInput}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      >
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
  if (input.type === 'date')
    return <DateBox autoFocus={isNew} aria-label={label} className={textInput} value={value} onChange={onChange} />;
  return (
    <input
      autoFocus={isNew}
      aria-label={label}
      type={input.type}
      inputMode={input.decimal && 'decimal'}
      placeholder={input.hint(field.scale)}
      className={textInput}
      value={value}
      onChange={(e) => onChange(e.target.value)}
    />
  );
}

/** Records of the type by typing part of a name; what is kept is the key behind the name. */
export function ReferenceInput({
  typeId,
  label,
  value,
  onChange,
  isNew,
}: {
  typeId: string;
  label: string;
  value: string;
  onChange: (value: string, shown?: string) => void;
  isNew?: boolean;
}) {
  const [text, setText] = useState('');
  const type = useQuery(queries.type(typeId));
  const name = type.data?.nameField;
  const key = type.data?.key[0];
  // A small type is read whole; of a large one, what begins with the text as typed.
  const small = (type.data?.about ?? 0) <= 1000;
  const filter = small || text === '' || !name ? '' : `${name} LIKE ${quote(`${text.replace(/[\\%_]/g, '\\$&')}%`)}`;
  const tell = type.data?.fields.find((f) => f.unique && f.base === 'text' && f.name !== name)?.name;
  const columns = [key ?? '', name ?? '', ...(tell ? [tell] : [])];
  const found = useQuery({
    ...queries.names(typeId, filter, columns, small ? 1000 : 100),
    enabled: Boolean(name && key),
  });
  const chosen = useQuery({ ...queries.record(typeId, value), enabled: value !== '', retry: false });
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
      onPick={(id) => onChange(id, options.find((o) => o.id === id)?.label)}
      isNew={isNew}
      onSearch={setText}
      className="w-full"
    />
  );
}
