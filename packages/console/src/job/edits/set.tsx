import { LinkButton } from '../../components/Button';
import { ValueInput } from '../ValueInput';
import { isFreeText, type EditForm } from './form';

/** A value for every record; of a text field also the empty text, which is said apart from nothing typed yet. */
export const set: EditForm<'set'> = {
  action: 'Set to',
  isWide: isFreeText,
  fits: (field) => field.base !== 'list',
  complete: ({ field, value }) => (field !== undefined && value !== undefined ? { kind: 'set', field, value } : null),
  Form({ field, edit, onChange }) {
    if (edit.value === '')
      return (
        <p className="flex h-8 min-w-0 flex-1 items-center justify-between gap-2">
          the empty text
          <LinkButton onClick={() => onChange({ value: undefined })}>Another</LinkButton>
        </p>
      );
    return (
      <div className="min-w-0 flex-1">
        <ValueInput
          field={field}
          value={edit.value === undefined ? '' : String(edit.value)}
          onChange={(value) => onChange({ value: value === '' ? undefined : value })}
        />
        {isFreeText(field) && edit.value === undefined && (
          <LinkButton className="text-xs" onClick={() => onChange({ value: '' })}>
            Use the empty text
          </LinkButton>
        )}
      </div>
    );
  },
};
