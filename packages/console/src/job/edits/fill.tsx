import { ValueInput } from '../ValueInput';
import { isFreeText, type EditForm } from './form';

/** A value where there is none. */
export const fill: EditForm<'fill'> = {
  action: 'Fill blanks with',
  isWide: isFreeText,
  fits: (field) => !field.required && field.base !== 'list',
  complete: ({ field, value }) => (field !== undefined && value !== undefined ? { kind: 'fill', field, value } : null),
  Form({ field, edit, onChange }) {
    return (
      <ValueInput
        field={field}
        value={edit.value === undefined ? '' : String(edit.value)}
        onChange={(value) => onChange({ value: value === '' ? undefined : value })}
      />
    );
  },
};
