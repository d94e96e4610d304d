import { inventions, inventionWords, type Invention } from '@tantamos/core';
import type { FieldView } from '@tantamos/contract';
import { isFreeText, isNumber, isTime, type EditForm } from './form';
import { ChoiceRow, FieldRow, TextRow } from './parts';
import { said, Shares } from './Shares';

/** What can be made up for a field. */
function inventable(field: FieldView): readonly Invention[] {
  if (field.base === 'list') return ['shuffle'];
  if (isFreeText(field)) return inventions.filter((w) => !['number', 'date'].includes(w));
  if (isNumber(field)) return ['number', 'choice', 'shuffle'];
  return isTime(field) ? ['date', 'choice', 'shuffle'] : ['choice', 'shuffle'];
}

const ranges: Partial<Record<Invention, readonly [string, string]>> = {
  words: ['3', '3'],
  number: ['0', '100'],
  date: ['first day, such as 2026-01-01', 'last day'],
};

/** What was said of another kind of value. */
const none = { from: undefined, to: undefined, among: undefined, alike: undefined, per: undefined };

/** Made-up values. */
export const invent: EditForm<'invent'> = {
  action: 'Invent',
  isWide: () => true,
  fits: () => true,
  complete({ field, what, from, to, among, alike, per, seed }) {
    if (field === undefined || what === undefined) return null;
    if (what === 'date' && (from === undefined || to === undefined)) return null;
    const chances = said(among);
    const real = Object.fromEntries(
      Object.entries({ from, to, among: chances.length > 0 ? chances : undefined, alike, per, seed }).filter(
        ([, v]) => v !== undefined,
      ),
    );
    return { kind: 'invent', field, what, ...real };
  },
  Form({ field, fields, edit, onChange }) {
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
          onChange={(what) => onChange({ ...none, what: what === '' ? undefined : what })}
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
        {edit.what === 'choice' && (
          <Shares
            field={field}
            shares={edit.among ?? field.choices?.map((c) => ({ to: c.value })) ?? [{ to: '' }, { to: '' }]}
            head="Which"
            onChange={(among) => onChange({ among })}
          />
        )}
        {edit.what === 'shuffle' ? (
          <FieldRow
            label="Within each"
            none="(among all)"
            value={edit.per?.[0]}
            fields={fields.filter((f) => f.field.base !== 'list')}
            onChange={(path) => onChange({ per: path === undefined ? undefined : [path] })}
          />
        ) : (
          <ChoiceRow
            label="Alike"
            value={edit.alike ?? 'value'}
            options={{ value: 'the same for the same value', record: 'one for each record' }}
            onChange={(alike) => onChange({ alike })}
          />
        )}
        <TextRow label="Seed" value={edit.seed} usual="another makes others" onChange={(seed) => onChange({ seed })} />
      </div>
    );
  },
};
