import type { FieldView, TypeView } from '@tantamos/contract';
import type { Edit, Problem } from '@tantamos/core';
import { X } from 'lucide-react';
import { textInput } from '../components/inputs';
import { Picker } from '../components/Picker';
import { ProblemList } from '../components/Problems';
import { editActions, formOf, type DraftEdit } from './edits';

interface Props {
  type: TypeView;
  edit: DraftEdit;
  /** Fields that other edits change already. */
  taken: readonly string[];
  problems: readonly Problem[];
  onChange: (next: DraftEdit) => void;
  onRemove: () => void;
  /** Just added: its field is being looked for. */
  isNew?: boolean;
}

/** One edit as a card: field ▸ action ▸ value. */
export function EditCard({ type, edit, taken, problems, onChange, onRemove, isNew = false }: Props) {
  const field = type.fields.find((f) => f.name === edit.field);
  const named = field ? ` of ${field.label}` : '';
  const { action, Form } = formOf(edit.kind);
  const actions = field ? editActions.filter(([, form]) => form.action !== null && form.fits(field)) : [];
  const set = (members: object): void => onChange({ ...edit, ...members } as DraftEdit);
  const take = (problem: Problem, suggestion: string): void => {
    if (problem.where?.endsWith('value')) set({ value: suggestion });
  };
  return (
    <div className="space-y-2 rounded border border-line bg-paper p-2.5">
      <div className="flex gap-2">
        <Picker
          label={field ? 'Field' : 'Field to change'}
          shown={field ? field.label : <span className="text-quiet">Choose a field</span>}
          className="flex-1"
          isNew={isNew && !field}
          value={edit.field ?? null}
          options={type.fields.map((f) => ({
            id: f.name,
            label: f.label,
            more: f.comment ?? '',
            note: f.kind.replace('_', '/'),
            not: whyNot(f, taken),
          }))}
          // A value of another field is no value of this one; what each record was given stays.
          onPick={(name) =>
            onChange(action === null ? ({ ...edit, field: name } as DraftEdit) : begun(edit.kind, name, type))
          }
        />
        <button
          type="button"
          aria-label={`Remove the edit${named}`}
          onClick={onRemove}
          className="grid size-8 shrink-0 place-items-center rounded text-quiet hover:bg-sunken hover:text-trouble"
        >
          <X className="size-4" aria-hidden="true" />
        </button>
      </div>
      {field && (
        <div className="flex gap-2">
          {action !== null && (
            <select
              aria-label={`Action${named}`}
              className={`${textInput} w-38! shrink-0`}
              value={edit.kind}
              onChange={(e) => onChange({ ...edit, kind: e.target.value } as DraftEdit)}
            >
              {actions.map(([kind, form]) => (
                <option key={kind} value={kind}>
                  {form.action}
                </option>
              ))}
            </select>
          )}
          <Form field={field} edit={edit} onChange={set} />
        </div>
      )}
      <ProblemList problems={problems} onTake={take} />
    </div>
  );
}

/** The same action on another field, where it may be chosen for it. */
function begun(kind: Edit['kind'], name: string, type: TypeView): DraftEdit {
  const field = type.fields.find((f) => f.name === name);
  return { kind: field && formOf(kind).fits(field) ? kind : 'set', field: name } as DraftEdit;
}

function whyNot(field: FieldView, taken: readonly string[]): string | null {
  if (taken.includes(field.name)) return 'Another edit changes it already.';
  return field.notEditable && `Not changeable: ${field.notEditable}`;
}
