import type { FileColumnView, FileView, TypeView } from '@tantamos/contract';
import { X } from 'lucide-react';
import { LinkButton } from '../components/Button';
import { textInput } from '../components/inputs';
import { Picker } from '../components/Picker';
import { Problems } from '../components/Problems';
import type { FieldChoice } from '../records/fields';
import { isTime, type DraftPlan } from './plan';

interface Props {
  file: FileView;
  type: TypeView;
  fields: readonly FieldChoice[];
  plan: DraftPlan;
  onPlan: (plan: DraftPlan) => void;
  problems: Error | null;
}

const heading = 'text-xs font-semibold tracking-wider text-quiet uppercase';

/** By which columns rows and records find each other, which field each column becomes, and what else is to be said. */
export function Mapping({ file, type, fields, plan, onPlan, problems }: Props) {
  const set = (next: Partial<DraftPlan>): void => onPlan({ ...plan, ...next });
  const these = type.label.toLowerCase();
  const found = fields.filter(
    (f) => f.field.refersTo === null && ['text', 'number', 'date', 'uuid'].includes(f.field.base),
  );
  const matched = plan.match.length > 0 ? plan.match : [{ column: '', field: '' }];
  return (
    <div className="space-y-5">
      {plan.signed !== undefined && (
        <p>
          This file was downloaded here: its signatures say which record each row is, and only what was edited in it is
          taken. <LinkButton onClick={() => set({ signed: undefined })}>Find records by a column instead</LinkButton>
        </p>
      )}
      <section className={`space-y-2 ${plan.signed === undefined ? '' : 'hidden'}`} aria-label="Finding">
        <h3 className={heading}>Rows and {these} find each other by</h3>
        {matched.map((m, i) => {
          const say = (next: Partial<typeof m>): void =>
            set({ match: matched.map((other, j) => (j === i ? { ...other, ...next } : other)) });
          return (
            <div key={i} className="flex items-center gap-2">
              <ColumnPicker
                label="Column to find by"
                file={file}
                value={m.column}
                onPick={(column) => say({ column, field: m.field || fieldCalled(column, found) })}
              />
              <span className="text-quiet">is</span>
              <FieldPicker
                label="Field to find by"
                value={m.field}
                options={found}
                onPick={(field) => say({ field })}
              />
              {matched.length > 1 && (
                <Remove
                  label={`Do not find by ${m.column}`}
                  onClick={() => set({ match: matched.filter((_, j) => j !== i) })}
                />
              )}
            </div>
          );
        })}
        <LinkButton className="text-xs" onClick={() => set({ match: [...matched, { column: '', field: '' }] })}>
          And by another column
        </LinkButton>
      </section>
      <section className="space-y-2" aria-label="Columns">
        <h3 className={heading}>What the columns become</h3>
        <table className="w-full">
          <thead className="text-left text-xs text-quiet">
            <tr>
              <th className="pb-1 font-normal">Column</th>
              <th className="pb-1 font-normal">Field</th>
            </tr>
          </thead>
          <tbody>
            {file.columns
              .filter((c) => c.name !== plan.signed)
              .map((c) => (
                <ColumnRow key={c.name} column={c} type={type} plan={plan} set={set} />
              ))}
            {plan.take.map((t, i) =>
              t.formula === undefined ? null : (
                <WorkedOut
                  key={`formula ${i}`}
                  file={file}
                  type={type}
                  formula={t.formula}
                  field={t.field}
                  onFormula={(formula) =>
                    set({ take: plan.take.map((other, j) => (j === i ? { ...other, formula } : other)) })
                  }
                  onField={(field) =>
                    // What is worked out takes the place of the column alone.
                    set({
                      take: plan.take.flatMap((other, j) =>
                        j === i
                          ? [{ ...other, field }]
                          : other.formula === undefined && other.field === field
                            ? []
                            : [other],
                      ),
                    })
                  }
                  onRemove={() => set({ take: plan.take.filter((_, j) => j !== i) })}
                />
              ),
            )}
          </tbody>
        </table>
        <LinkButton className="text-xs" onClick={() => set({ take: [...plan.take, { field: '', formula: '' }] })}>
          Work something out of columns
        </LinkButton>
        {plan.take.some((t) => t.formula !== undefined) && (
          <p className="text-xs text-quiet">
            Fields of the record may stand beside columns: <code>MAX(price, file.price * 1.05)</code>
          </p>
        )}
      </section>
      <section className="space-y-2" aria-label="Otherwise">
        <h3 className={heading}>And otherwise</h3>
        <Say
          label="An empty cell"
          value={plan.blank}
          options={{ leave: 'leaves the field as it is', clear: 'clears the field' }}
          onChange={(blank) => set({ blank })}
        />
        <Say
          label={`Rows that fit none of the ${these}`}
          value={plan.unknown}
          options={{ stop: 'stop: show me', skip: 'are left out', create: `become new ${these}` }}
          onChange={(unknown) => set({ unknown })}
        />
        <Say
          label="Rows that fit several"
          value={plan.several}
          options={{ skip: 'are left out', all: 'are for all of these' }}
          onChange={(several) => set({ several })}
        />
      </section>
      <Problems error={problems} />
    </div>
  );
}

function ColumnRow({
  column,
  type,
  plan,
  set,
}: {
  column: FileColumnView;
  type: TypeView;
  plan: DraftPlan;
  set: (next: Partial<DraftPlan>) => void;
}) {
  const { name, samples, decimal, order } = column;
  const taken = plan.take.find((t) => t.column === name);
  const finds = plan.match.find((m) => m.column === name);
  const field = type.fields.find((f) => f.name === taken?.field);
  const isRead = plan.take.some((t) =>
    t.formula
      ?.toLowerCase()
      .match(/\bfile\.("[^"]*"|\w+)/g)
      ?.some((read) => read.slice(5).replaceAll('"', '') === name.toLowerCase()),
  );
  const reading = plan.readings?.[name] ?? {};
  const read = (next: object): void => set({ readings: { ...plan.readings, [name]: { ...reading, ...next } } });
  const asDate = taken !== undefined && isTime(type, taken.field);
  return (
    <tr className="border-t border-line align-top">
      <td className="max-w-56 py-1.5 pr-2">
        <span className="block truncate font-medium" title={name}>
          {name}
        </span>
        <span className="block truncate text-xs text-quiet" title={samples.join(' · ')}>
          {samples.slice(0, 3).join(' · ') || 'empty'}
        </span>
      </td>
      <td className="space-y-1 py-1.5">
        <FieldPicker
          label={`Field for ${name}`}
          value={taken?.field ?? ''}
          none={finds ? 'finds the record' : isRead ? 'only worked with' : 'not taken'}
          options={takeable(type)}
          onPick={(to) => {
            const rest = plan.take.filter((t) => t.column !== name);
            set({ take: to === '' ? rest : [...rest, { field: to, column: name }] });
          }}
        />
        {field?.base === 'number' && field.refersTo === null && (
          <Say
            label="fractions"
            value={reading.decimal ?? decimal}
            options={{ '.': 'with a point: 1,234.5', ',': 'with a comma: 1.234,5' }}
            onChange={(to) => read({ decimal: to })}
          />
        )}
        {asDate && (
          <Say
            label="dates"
            value={reading.dates ?? order ?? ''}
            options={{
              ...(order === null && !reading.dates ? { '': 'say which: 3/4/2026 is' } : {}),
              dmy: 'day first: 3/4 is 3 April',
              mdy: 'month first: 3/4 is 4 March',
            }}
            onChange={(dates) => read({ dates })}
          />
        )}
      </td>
    </tr>
  );
}

function takeable(type: TypeView): readonly FieldChoice[] {
  return type.fields
    .filter((f) => f.base !== 'list' && (f.notEditable === null || type.key.includes(f.name)))
    .map((field) => ({ path: field.name, label: field.label, field }));
}

/** What is worked out of columns, on a line of its own, and the field that gets it. */
function WorkedOut({
  file,
  type,
  formula,
  field,
  onFormula,
  onField,
  onRemove,
}: {
  file: FileView;
  type: TypeView;
  formula: string;
  field: string;
  onFormula: (formula: string) => void;
  onField: (field: string) => void;
  onRemove: () => void;
}) {
  const number = file.columns.find((c) => c.looks === 'number' && /^[a-z]\w*$/i.test(c.name));
  return (
    <tr className="border-t border-line align-top">
      <td colSpan={2} className="space-y-1.5 py-1.5">
        <input
          aria-label="Worked out of columns"
          autoFocus={formula === ''}
          className={`${textInput} w-full font-mono text-xs`}
          placeholder={`file.${number?.name ?? 'price'} * 1.05`}
          value={formula}
          onChange={(e) => onFormula(e.target.value)}
        />
        <div className="flex items-center gap-1.5">
          <span className="text-quiet">into</span>
          <FieldPicker label="Field for what is worked out" value={field} options={takeable(type)} onPick={onField} />
          <Remove label="Work nothing out" onClick={onRemove} />
        </div>
      </td>
    </tr>
  );
}

/** The field that is called as the column is; none where none is. */
function fieldCalled(column: string, fields: readonly FieldChoice[]): string {
  const said = column.trim().toLowerCase();
  return fields.find((f) => [f.path, f.label].some((name) => name.toLowerCase() === said))?.path ?? '';
}

function ColumnPicker({
  label,
  file,
  value,
  onPick,
}: {
  label: string;
  file: FileView;
  value: string;
  onPick: (name: string) => void;
}) {
  return (
    <Picker
      label={label}
      className="min-w-0 flex-1"
      shown={value || <span className="text-quiet">Choose a column</span>}
      value={value}
      options={file.columns.map((c) => ({ id: c.name, label: c.name, about: c.samples.slice(0, 3).join(' · ') }))}
      onPick={onPick}
    />
  );
}

function FieldPicker({
  label,
  value,
  options,
  none,
  onPick,
}: {
  label: string;
  value: string;
  options: readonly FieldChoice[];
  none?: string;
  onPick: (path: string) => void;
}) {
  const chosen = options.find((o) => o.path === value);
  return (
    <Picker
      label={label}
      className="w-full min-w-0 flex-1"
      shown={chosen?.label ?? <span className="text-quiet">{none ?? 'Choose a field'}</span>}
      value={value}
      options={[
        ...(none === undefined ? [] : [{ id: '', label: none }]),
        ...options.map((o) => ({ id: o.path, label: o.label, more: o.path, note: o.field.kind.replace('_', '/') })),
      ]}
      onPick={onPick}
    />
  );
}

function Say<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T | '';
  options: Readonly<Partial<Record<T | '', string>>>;
  onChange: (value: T) => void;
}) {
  return (
    <label className="flex items-center justify-between gap-2 text-xs">
      <span className="text-quiet">{label}</span>
      <select className={`${textInput} w-auto! text-xs`} value={value} onChange={(e) => onChange(e.target.value as T)}>
        {(Object.entries(options) as [T, string][]).map(([id, words]) => (
          <option key={id} value={id}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}

function Remove({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      onClick={onClick}
      className="grid size-8 shrink-0 place-items-center rounded text-quiet hover:bg-sunken"
    >
      <X className="size-4" aria-hidden="true" />
    </button>
  );
}
