import { TextRow } from './parts';
import { Shares } from './Shares';
import { isFreeText, isLink, type DraftEdit, type EditForm, type FormProps } from './form';

type Entries = 'add' | 'remove';

function completed<K extends Entries>(kind: K, edit: DraftEdit<Entries>) {
  const { field, entries, separator } = edit;
  const all = (entries ?? []).map((e) => e.trim()).filter(Boolean);
  if (field === undefined || all.length === 0) return null;
  return { kind, field, entries: all, ...(separator !== undefined && { separator }) };
}

function Form({ field, edit, onChange }: FormProps<Entries>) {
  if (isLink(field))
    return (
      <Shares
        label="Entries"
        field={field}
        shares={(edit.entries ?? ['']).map((to) => ({ to }))}
        head="Which"
        weighted={false}
        onChange={(all) => onChange({ entries: all.map((s) => String(s.to)) })}
      />
    );
  return (
    <div className="space-y-1.5">
      <TextRow
        label="Entries"
        value={edit.entries?.join(',')}
        usual="with commas between them"
        onChange={(text) => onChange({ entries: text?.split(',') })}
      />
      {isFreeText(field) && (
        <TextRow
          label="Between them"
          value={edit.separator}
          usual="a comma and a space"
          onChange={(separator) => onChange({ separator })}
        />
      )}
    </div>
  );
}

const fits: EditForm<Entries>['fits'] = (field) => isFreeText(field) || field.base === 'list';

/** Entries into a list, and out of it. */
export const add: EditForm<'add'> = {
  action: 'Add to the list',
  isWide: () => true,
  fits,
  takesLinks: true,
  complete: (edit) => completed('add', edit),
  Form: Form as EditForm<'add'>['Form'],
};

export const remove: EditForm<'remove'> = {
  action: 'Take out of the list',
  isWide: () => true,
  fits,
  takesLinks: true,
  complete: (edit) => completed('remove', edit),
  Form: Form as EditForm<'remove'>['Form'],
};
