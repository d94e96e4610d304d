import type { FieldView, TypeView } from '@tantamos/contract';
import type { Problem } from '@tantamos/core';
import { X } from 'lucide-react';
import { counted } from '../components/format';
import { Picker } from '../components/Picker';
import { ProblemList } from '../components/Problems';
import { textInput } from '../components/inputs';
import type { DraftEdit } from './draft';
import { ValueInput } from './ValueInput';

interface Props {
  type: TypeView;
  edit: DraftEdit;
  /** Fields that other edits change already. */
  taken: readonly string[];
  problems: readonly Problem[];
  onChange: (next: Partial<DraftEdit>) => void;
  onRemove: () => void;
}

const actions = { set: 'Set to', fill: 'Fill blanks with' };

/** One edit as a card: field ▸ action ▸ value. */
export function EditCard({ type, edit, taken, problems, onChange, onRemove }: Props) {
  const field = type.fields.find((f) => f.name === edit.field);
  const named = field ? ` of ${field.label}` : '';
  const take = (problem: Problem, suggestion: string): void => {
    if (problem.where?.endsWith('value')) onChange({ value: suggestion });
  };
  return (
    <div className="space-y-2 rounded border border-line bg-paper p-2.5">
      <div className="flex gap-2">
        <Picker
          label={field ? 'Field' : 'Field to change'}
          shown={field ? field.label : <span className="text-quiet">Choose a field</span>}
          className="flex-1"
          value={edit.field}
          options={type.fields
            .filter((f) => !f.hidden)
            .map((f) => ({
              id: f.name,
              label: f.label,
              more: f.comment ?? '',
              note: f.kind.replace('_', '/'),
              not: whyNot(f, taken),
            }))}
          onPick={(name) => onChange({ field: name, ...(edit.values ? {} : { value: '' }) })}
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
      {field && edit.values && (
        <p>
          {counted(Object.keys(edit.values).length, 'pasted value')}, each for its own record:{' '}
          <span className="text-quiet">
            {Object.values(edit.values).slice(0, 4).join(', ')}
            {Object.keys(edit.values).length > 4 && ' …'}
          </span>
        </p>
      )}
      {field && !edit.values && (
        <div className="flex gap-2">
          <select
            aria-label={`Action${named}`}
            className={`${textInput} w-38! shrink-0`}
            value={edit.kind}
            onChange={(e) => onChange({ kind: e.target.value as DraftEdit['kind'] })}
          >
            {Object.entries(actions).map(([kind, words]) => (
              <option key={kind} value={kind}>
                {words}
              </option>
            ))}
          </select>
          <ValueInput field={field} value={edit.value} onChange={(value) => onChange({ value })} />
        </div>
      )}
      <ProblemList problems={problems} onTake={take} />
    </div>
  );
}

function whyNot(field: FieldView, taken: readonly string[]): string | null {
  if (taken.includes(field.name)) return 'Another edit changes it already.';
  return field.notEditable && `Not changeable: ${field.notEditable}`;
}
