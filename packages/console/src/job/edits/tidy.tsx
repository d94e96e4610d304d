import { TextRow } from './parts';
import { isFreeText, type DraftEdit, type EditForm } from './form';

type Step = NonNullable<DraftEdit<'tidy'>['how']>[number];

const steps: Readonly<Record<Step, string>> = {
  spaces: 'No idle spaces',
  lower: 'small letters',
  upper: 'CAPITALS',
  title: 'Capital At Each Word',
  digits: 'digits only',
  phone: 'phone number (+44…)',
  mail: 'mail address',
};

/** Texts in one form. */
export const tidy: EditForm<'tidy'> = {
  action: 'Tidy',
  isWide: () => true,
  fits: isFreeText,
  complete: ({ field, how, country }) =>
    field !== undefined && how !== undefined && how.length > 0
      ? { kind: 'tidy', field, how, ...(country !== undefined && how.includes('phone') && { country }) }
      : null,
  Form({ edit, onChange }) {
    const how = edit.how ?? [];
    return (
      <fieldset className="space-y-1">
        <legend className="sr-only">How</legend>
        <div className="grid grid-cols-2 gap-1">
          {(Object.entries(steps) as [Step, string][]).map(([step, words]) => (
            <label key={step} className="flex items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-accent"
                checked={how.includes(step)}
                onChange={(e) => onChange({ how: e.target.checked ? [...how, step] : how.filter((s) => s !== step) })}
              />
              {words}
            </label>
          ))}
        </div>
        {how.includes('phone') && (
          <TextRow
            label="Country"
            value={edit.country}
            usual="such as 44, for numbers with one 0"
            onChange={(country) => onChange({ country })}
            trimmed
          />
        )}
      </fieldset>
    );
  },
};
