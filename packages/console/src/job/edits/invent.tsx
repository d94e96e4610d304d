import { inventions, inventionWords, type Invention } from '@tantamos/core';
import type { FieldView } from '@tantamos/contract';
import { isFreeText, isNumber, isTime, type EditForm } from './form';
import { ChoiceRow, TextRow } from './parts';

/** What can be made up for a field. */
function inventable(field: FieldView): readonly Invention[] {
  if (isFreeText(field)) return inventions.filter((w) => !['number', 'date', 'choice'].includes(w));
  if (isNumber(field)) return ['number'];
  if (isTime(field)) return ['date'];
  return field.choices === null ? [] : ['choice'];
}

const ranges: Partial<Record<Invention, readonly [string, string]>> = {
  words: ['3', '3'],
  number: ['0', '100'],
  date: ['first day, such as 2026-01-01', 'last day'],
};

/** Made-up values. */
export const invent: EditForm<'invent'> = {
  action: 'Invent',
  isWide: () => true,
  fits: (field) => inventable(field).length > 0,
  complete({ field, what, from, to, among, alike, seed }) {
    if (field === undefined || what === undefined) return null;
    if (what === 'date' && (from === undefined || to === undefined)) return null;
    const real = Object.fromEntries(
      Object.entries({ from, to, among, alike, seed }).filter(([, v]) => v !== undefined),
    );
    return { kind: 'invent', field, what, ...real };
  },
  Form({ field, edit, onChange }) {
    const all = inventable(field);
    const range = edit.what && ranges[edit.what];
    const options = Object.fromEntries([['', 'Choose what'], ...all.map((w) => [w, inventionWords[w]])]) as Record<
      Invention | '',
      string
    >;
    const text = (value: unknown): string | undefined => (value === undefined ? undefined : String(value));
    return (
      <div className="space-y-1.5">
        <ChoiceRow
          label="What"
          value={edit.what ?? ''}
          options={options}
          onChange={(what) => onChange({ what: what === '' ? undefined : what, from: undefined, to: undefined })}
        />
        {range && (
          <>
            <TextRow
              label="From"
              value={text(edit.from)}
              usual={range[0]}
              onChange={(from) => onChange({ from })}
              trimmed
            />
            <TextRow label="To" value={text(edit.to)} usual={range[1]} onChange={(to) => onChange({ to })} trimmed />
          </>
        )}
        <ChoiceRow
          label="Alike"
          value={edit.alike ?? 'value'}
          options={{ value: 'the same for the same value', record: 'one for each record' }}
          onChange={(alike) => onChange({ alike })}
        />
        <TextRow label="Seed" value={edit.seed} usual="another makes others" onChange={(seed) => onChange({ seed })} />
      </div>
    );
  },
};
