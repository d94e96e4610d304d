import { ChoiceRow, FieldRow, TextRow } from './parts';
import type { EditForm } from './form';

/** The value of another field. */
export const copy: EditForm<'copy'> = {
  action: 'Copy from',
  isWide: () => true,
  fits: (field) => field.base !== 'list',
  complete({ field, from, record, of, blank }) {
    if (field === undefined || from === undefined || record === '') return null;
    return {
      kind: 'copy',
      field,
      from,
      ...(record !== undefined && { record }),
      ...(of !== undefined && { of }),
      ...(blank && { blank }),
    };
  },
  Form: ({ field, fields, edit, onChange }) => (
    <div className="space-y-1.5">
      <FieldRow
        label="From"
        value={edit.from}
        fields={fields.filter((f) => edit.record !== undefined || f.path !== field.name)}
        onChange={(from) => onChange({ from })}
      />
      <ChoiceRow
        label="Whose"
        value={edit.record === undefined ? 'own' : 'one'}
        options={{ own: 'each record’s own', one: 'of one record for all' }}
        onChange={(whose) => onChange({ record: whose === 'one' ? '' : undefined, of: undefined })}
      />
      {edit.record !== undefined && (
        <TextRow
          label="Record"
          value={edit.record}
          usual={`name or key${edit.of === undefined ? '' : ` in ${edit.of}`}`}
          onChange={(record = '') => onChange({ record })}
        />
      )}
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
