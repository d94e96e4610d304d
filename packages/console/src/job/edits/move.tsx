import { ChoiceRow, FieldRow, TextRow } from './parts';
import { isFreeText, type EditForm } from './form';

/** The value of another field of the record, which is cleared. */
export const move: EditForm<'move'> = {
  action: 'Move from',
  isWide: () => true,
  fits: (field) => field.base !== 'list',
  complete: ({ field, from, filled, with: between }) =>
    field !== undefined && from !== undefined
      ? {
          kind: 'move',
          field,
          from,
          ...(filled && { filled }),
          ...(filled === 'join' && between !== undefined && { with: between }),
        }
      : null,
  Form: ({ field, fields, edit, onChange }) => (
    <div className="space-y-1.5">
      <FieldRow
        label="From"
        value={edit.from}
        fields={fields.filter(
          (f) => !f.path.includes('.') && f.path !== field.name && f.field.notEditable === null && !f.field.required,
        )}
        onChange={(from) => onChange({ from })}
      />
      <ChoiceRow
        label={`If ${field.label} is filled`}
        value={edit.filled ?? 'leave'}
        options={
          {
            leave: 'leave both as they are',
            overwrite: 'overwrite it',
            ...(isFreeText(field) ? { join: 'join the two' } : {}),
          } as Record<'leave' | 'overwrite' | 'join', string>
        }
        onChange={(filled) => onChange({ filled })}
      />
      {edit.filled === 'join' && (
        <TextRow
          label="With between"
          value={edit.with}
          usual="a space"
          onChange={(between) => onChange({ with: between })}
        />
      )}
    </div>
  ),
};
