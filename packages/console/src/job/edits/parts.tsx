import { useId, type ReactNode } from 'react';
import { textInput } from '../../components/inputs';
import { Picker } from '../../components/Picker';
import type { FieldChoice } from '../../records/fields';

// What the forms of edits are made of.

/** A word before a box, on one line: “in steps of [1]”. */
export function Row({ label, children }: { label: string; children: (id: string) => ReactNode }) {
  const id = useId();
  return (
    <div className="flex min-h-8 items-center gap-2">
      <label htmlFor={id} className="w-24 shrink-0 text-quiet">
        {label}
      </label>
      <div className="min-w-0 flex-1">{children(id)}</div>
    </div>
  );
}

/** A line of text in such a row; what is empty is not said. */
export function TextRow({
  label,
  value,
  usual,
  onChange,
  mono = false,
  trimmed = false,
}: {
  label: string;
  value: string | number | undefined;
  usual?: string;
  onChange: (text: string | undefined) => void;
  mono?: boolean;
  trimmed?: boolean;
}) {
  return (
    <Row label={label}>
      {(id) => (
        <input
          id={id}
          className={`${textInput} ${mono ? 'font-mono text-xs' : ''}`}
          placeholder={usual}
          value={value ?? ''}
          onChange={(e) => {
            const text = trimmed ? e.target.value.trim() : e.target.value;
            onChange(text === '' ? undefined : text);
          }}
        />
      )}
    </Row>
  );
}

/** A box to tick, under the boxes of the other rows. */
export function TickRow({
  label,
  checked,
  onChange,
}: {
  label: string;
  checked: boolean;
  onChange: (checked: boolean) => void;
}) {
  return (
    <label className="flex min-h-8 items-center gap-2 pl-26">
      <input type="checkbox" className="accent-accent" checked={checked} onChange={(e) => onChange(e.target.checked)} />
      {label}
    </label>
  );
}

export function ChoiceRow<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T;
  options: Readonly<Record<T, string>>;
  onChange: (value: T) => void;
}) {
  return (
    <Row label={label}>
      {(id) => (
        <select id={id} className={textInput} value={value} onChange={(e) => onChange(e.target.value as T)}>
          {(Object.entries(options) as [T, string][]).map(([option, words]) => (
            <option key={option} value={option}>
              {words}
            </option>
          ))}
        </select>
      )}
    </Row>
  );
}

/** A field, of the record or of one it points at. */
export function FieldRow({
  label,
  value,
  fields,
  none,
  onChange,
}: {
  label: string;
  value: string | undefined;
  fields: readonly FieldChoice[];
  /** What it means to choose none; without it one must be chosen. */
  none?: string;
  onChange: (path: string | undefined) => void;
}) {
  const chosen = fields.find((f) => f.path === value);
  return (
    <Row label={label}>
      {() => (
        <Picker
          label={label}
          className="w-full"
          value={value ?? ''}
          shown={chosen?.label ?? value ?? <span className="text-quiet">{none ?? 'Choose a field'}</span>}
          options={[
            ...(none === undefined ? [] : [{ id: '', label: none }]),
            ...fields.map((f) => ({ id: f.path, label: f.label, more: f.path, note: f.field.kind.replace('_', '/') })),
          ]}
          onPick={(path) => onChange(path === '' ? undefined : path)}
        />
      )}
    </Row>
  );
}

/** A field to order by, up or down; the key where none is chosen. */
export function OrderRow({
  label,
  order,
  fields,
  onChange,
}: {
  label: string;
  order: readonly string[] | undefined;
  fields: readonly FieldChoice[];
  onChange: (order: readonly string[] | undefined) => void;
}) {
  const [first, ...rest] = order ?? [];
  const down = first?.startsWith('-') ?? false;
  const path = down ? first!.slice(1) : first;
  const say = (by: string | undefined, downward: boolean): void =>
    onChange(by === undefined ? undefined : [`${downward ? '-' : ''}${by}`, ...rest]);
  return (
    <>
      <FieldRow
        label={label}
        none="key"
        value={path}
        fields={fields.filter((f) => f.field.base !== 'list')}
        onChange={(by) => say(by, down)}
      />
      {path !== undefined && (
        <TickRow label="greatest or latest first" checked={down} onChange={(on) => say(path, on)} />
      )}
    </>
  );
}
