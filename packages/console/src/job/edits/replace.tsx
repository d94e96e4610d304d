import { ChoiceRow, TextRow } from './parts';
import { isFreeText, type EditForm } from './form';

/** One piece of text by another. */
export const replace: EditForm<'replace'> = {
  action: 'Replace',
  isWide: () => true,
  fits: isFreeText,
  complete: ({ field, find, with: by, match, anyCase }) =>
    field !== undefined && find !== undefined
      ? { kind: 'replace', field, find, with: by ?? '', ...(match && { match }), ...(anyCase && { anyCase }) }
      : null,
  Form: ({ edit, onChange }) => (
    <div className="space-y-1.5">
      <TextRow label="Find" value={edit.find} onChange={(find) => onChange({ find })} />
      <TextRow label="Put instead" value={edit.with} usual="nothing" onChange={(by) => onChange({ with: by })} />
      <ChoiceRow
        label="Where"
        value={edit.match ?? 'part'}
        options={{
          part: 'anywhere',
          word: 'as a whole word',
          start: 'at the start',
          end: 'at the end',
          whole: 'as the whole value',
        }}
        onChange={(match) => onChange({ match })}
      />
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="accent-accent"
          checked={edit.anyCase ?? false}
          onChange={(e) => onChange({ anyCase: e.target.checked || undefined })}
        />
        capitals and small letters alike
      </label>
    </div>
  ),
};
