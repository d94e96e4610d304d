import { ChoiceRow, FieldRow } from './parts';
import type { EditForm } from './form';

/** The value of another field. */
export const copy: EditForm<'copy'> = {
  action: 'Copy from',
  isWide: () => true,
  fits: (field) => field.base !== 'list',
  complete: ({ field, from, blank }) =>
    field !== undefined && from !== undefined ? { kind: 'copy', field, from, ...(blank && { blank }) } : null,
  Form: ({ field, fields, edit, onChange }) => (
    <div className="space-y-1.5">
      <FieldRow
        label="From"
        value={edit.from}
        fields={fields.filter((f) => f.path !== field.name)}
        onChange={(from) => onChange({ from })}
      />
      {!field.required && (
        <ChoiceRow
          label="If it is blank"
          value={edit.blank ?? 'leave'}
          options={{ leave: 'leave this field as it is', clear: 'clear this field' }}
          onChange={(blank) => onChange({ blank })}
        />
      )}
    </div>
  ),
};
