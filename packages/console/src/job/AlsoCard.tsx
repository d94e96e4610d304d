import type { TypeView } from '@tantamos/contract';
import { neededOf, type Edit, type Problem } from '@tantamos/core';
import { Plus, X } from 'lucide-react';
import { LinkButton } from '../components/Button';
import { textInput } from '../components/inputs';
import { Picker } from '../components/Picker';
import { ProblemList } from '../components/Problems';
import { useAllTypes, waysTo } from '../records/all-types';
import { useFields } from '../records/fields';
import { completeEdits, formOf, type DraftEdit } from './edits';
import { Presets } from './Presets';
import type { DraftAlso } from './whole';

interface Props {
  /** Of the job’s records. */
  type: TypeView;
  also: DraftAlso;
  /** With places within it. */
  problems: readonly Problem[];
  onChange: (next: DraftAlso) => void;
  onRemove: () => void;
}

/** A record made for each of the job’s records, or for each that a field of theirs points at: type, for whom, and what it gets. */
export function AlsoCard({ type, also, problems, onChange, onRemove }: Props) {
  const types = useAllTypes();
  const references = type.fields.filter((f) => f.refersTo !== null && !f.hidden);
  const per = references.find((f) => f.name === also.per);
  const source = per ? (types.find((t) => t.id === per.refersTo) ?? type) : type;
  const into = types.find((t) => t.id === also.type);
  const ways = into ? waysTo(into, source.id) : [];
  const firsts = into && per ? waysTo(into, type.id) : [];
  const makable = types.filter(
    (t) => waysTo(t, type.id).length + references.flatMap((r) => waysTo(t, r.refersTo!)).length > 0,
  );
  const these = type.label.toLowerCase();
  return (
    <div className="space-y-2 rounded border border-line bg-paper p-2.5" role="group" aria-label="Also create">
      <div className="flex items-center gap-2">
        <span className="shrink-0">Also create</span>
        <Picker
          label="Type of what is made"
          shown={into ? into.label : <span className="text-quiet">Choose a type</span>}
          className="flex-1"
          isNew={also.type === undefined}
          value={also.type ?? null}
          options={makable.map((t) => ({ id: t.id, label: t.label, more: t.comment ?? '', not: t.notChangeable }))}
          onPick={(picked) =>
            onChange(
              begun(
                types.find((t) => t.id === picked)!,
                also,
              ),
            )
          }
        />
        <button
          type="button"
          aria-label={`Make no ${into?.label.toLowerCase() ?? 'records'}`}
          onClick={onRemove}
          className="grid size-8 shrink-0 place-items-center rounded text-quiet hover:bg-sunken hover:text-trouble"
        >
          <X className="size-4" aria-hidden="true" />
        </button>
      </div>
      {into && (
        <>
          <label className="flex items-center gap-2">
            <span className="shrink-0">one for</span>
            <select
              className={textInput}
              value={also.per ?? ''}
              onChange={(e) => onChange({ ...also, per: e.target.value || undefined, by: undefined, first: undefined })}
            >
              <option value="">each of the {these}</option>
              {references
                .filter((f) => waysTo(into, f.refersTo!).length > 0)
                .map((f) => (
                  <option key={f.name} value={f.name}>
                    each {f.label.toLowerCase()} of them
                  </option>
                ))}
            </select>
          </label>
          {ways.length > 1 && (
            <Choice
              label="which stands in its"
              value={also.by ?? ''}
              options={ways.map((f) => ({ id: f.name, label: f.label }))}
              onChange={(by) => onChange({ ...also, by })}
            />
          )}
          {firsts.length > 0 && (
            <Choice
              label={`the first of the ${these} in its`}
              value={also.first ?? ''}
              none="no field"
              options={firsts.map((f) => ({ id: f.name, label: f.label }))}
              onChange={(first) => onChange({ ...also, first })}
            />
          )}
          <Presets
            into={into}
            edits={completeEdits(also.values)}
            onTake={(edits) => onChange({ ...also, values: edits })}
          />
          {also.values.map((value, i) => (
            <Given
              key={i}
              source={source}
              into={into}
              taken={also.values.flatMap((v, j) => (j !== i && v.field ? [v.field] : []))}
              value={value}
              problems={problems.filter((p) => p.where?.includes(`values[${indexOf(also, i)}]`))}
              onChange={(next) => onChange({ ...also, values: also.values.map((v, j) => (j === i ? next : v)) })}
              onRemove={() => onChange({ ...also, values: also.values.filter((_, j) => j !== i) })}
            />
          ))}
          <LinkButton
            className="inline-flex items-center gap-1 text-xs"
            onClick={() => onChange({ ...also, values: [...also.values, { kind: 'set' }] })}
          >
            <Plus className="size-3.5" aria-hidden="true" /> A value for it
          </LinkButton>
        </>
      )}
      <ProblemList problems={problems.filter((p) => !p.where?.includes('values['))} />
    </div>
  );
}

function Choice({
  label,
  value,
  none,
  options,
  onChange,
}: {
  label: string;
  value: string;
  none?: string;
  options: readonly { id: string; label: string }[];
  onChange: (id: string | undefined) => void;
}) {
  return (
    <label className="flex items-center gap-2">
      <span className="shrink-0">{label}</span>
      <select className={textInput} value={value} onChange={(e) => onChange(e.target.value || undefined)}>
        <option value="" disabled={none === undefined}>
          {none ?? 'Choose'}
        </option>
        {options.map((o) => (
          <option key={o.id} value={o.id}>
            {o.label}
          </option>
        ))}
      </select>
    </label>
  );
}

/** A field of the new record, and its value: as it stands, or worked out. */
function Given({
  source,
  into,
  taken,
  value,
  problems,
  onChange,
  onRemove,
}: {
  source: TypeView;
  into: TypeView;
  taken: readonly string[];
  value: DraftEdit;
  problems: readonly Problem[];
  onChange: (next: DraftEdit) => void;
  onRemove: () => void;
}) {
  const fields = useFields(source);
  const field = into.fields.find((f) => f.name === value.field);
  const { Form } = formOf(value.kind);
  return (
    <div className="space-y-1.5 border-t border-line pt-2">
      <div className="flex items-center gap-2">
        <Picker
          label={field ? `Field of the new record` : 'Field to give'}
          shown={field ? field.label : <span className="text-quiet">Choose a field</span>}
          className="flex-1"
          isNew={!field}
          value={value.field ?? null}
          options={into.fields
            .filter((f) => !f.hidden && !f.generated)
            .map((f) => ({
              id: f.name,
              label: f.label,
              more: f.comment ?? '',
              note: f.default !== null ? 'filled by itself' : f.required ? 'required' : f.kind.replace('_', '/'),
              not: taken.includes(f.name) ? 'It has a value already.' : null,
            }))}
          onPick={(name) => onChange({ kind: value.kind, field: name })}
        />
        {field && (
          <select
            aria-label={`How ${field.label} is said`}
            className={`${textInput} w-28!`}
            value={value.kind}
            onChange={(e) => onChange({ kind: e.target.value as Edit['kind'], field: field.name })}
          >
            <option value="set">Set to</option>
            <option value="compute">Compute</option>
          </select>
        )}
        <button
          type="button"
          aria-label={`No ${field?.label.toLowerCase() ?? 'value'}`}
          onClick={onRemove}
          className="grid size-7 shrink-0 place-items-center rounded text-quiet hover:bg-sunken"
        >
          <X className="size-3.5" aria-hidden="true" />
        </button>
      </div>
      {field && (
        <Form
          type={source}
          field={field}
          fields={fields}
          selection={{}}
          edit={value}
          problems={problems}
          results={[]}
          before={[]}
          onChange={(members) => onChange({ ...value, ...members })}
        />
      )}
      <ProblemList problems={problems} />
    </div>
  );
}

/** Of a type just chosen: what it must be given. */
function begun(into: TypeView, { per }: DraftAlso): DraftAlso {
  const required = neededOf(into).filter((f) => f.refersTo === null && !f.hidden);
  return { type: into.id, per, values: required.map((f) => ({ kind: 'set' as const, field: f.name })) };
}

/** Values that are not filled in yet are not sent. */
function indexOf({ values }: DraftAlso, i: number): number {
  return values.slice(0, i).filter((v) => formOf(v.kind).complete(v) !== null).length;
}
