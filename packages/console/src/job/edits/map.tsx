import type { FieldValues, SelectionParts } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { Plus, X } from 'lucide-react';
import { LinkButton } from '../../components/Button';
import { textInput } from '../../components/inputs';
import { queries } from '../../queries';
import { ValueInput } from '../ValueInput';
import { ChoiceRow, FieldRow } from './parts';
import type { DraftEdit, EditForm } from './form';

type Pair = NonNullable<DraftEdit<'map'>['pairs']>[number];
const emptyPair: Pair = { old: '', new: '' };

/** Old values into new ones. */
export const map: EditForm<'map'> = {
  action: 'Map values',
  isWide: () => true,
  fits: (field) => field.base !== 'list',
  complete({ field, from, pairs, ranges, otherwise, rest }) {
    const all = (pairs ?? []).filter((p) => String(p.new) !== '');
    if (field === undefined || (all.length === 0 && !ranges)) return null;
    const by = ranges ? { ranges } : { pairs: all };
    return {
      kind: 'map',
      field,
      ...by,
      ...(from && { from }),
      ...(otherwise !== undefined && { otherwise }),
      ...(rest && { rest }),
    };
  },
  Form({ type, field, fields, selection, edit, onChange }) {
    const pairs = edit.pairs ?? [emptyPair];
    const set = (i: number, next: Partial<Pair>): void =>
      onChange({ pairs: pairs.map((p, j) => (j === i ? { ...p, ...next } : p)) });
    return (
      <div className="space-y-1.5">
        <FieldRow
          label="Old values of"
          none={`${field.label} itself`}
          value={edit.from}
          fields={fields.filter((f) => f.path !== field.name && f.field.base !== 'list')}
          onChange={(from) => onChange({ from, pairs: undefined })}
        />
        <table className="w-full" aria-label="Which value becomes which">
          <thead className="text-left text-xs text-quiet">
            <tr>
              <th className="font-normal">Old (empty: blank)</th>
              <th className="font-normal">New</th>
              <th className="sr-only">Take out</th>
            </tr>
          </thead>
          <tbody>
            {pairs.map((pair, i) => (
              <tr key={i}>
                <td className="w-1/2 pr-1 pb-1">
                  <input
                    aria-label={`Old value, line ${i + 1}`}
                    className={textInput}
                    value={String(pair.old)}
                    onChange={(e) => set(i, { old: e.target.value })}
                  />
                </td>
                <td className="w-1/2 pb-1">
                  <ValueInput field={field} value={String(pair.new)} onChange={(value) => set(i, { new: value })} />
                </td>
                <td>
                  <button
                    type="button"
                    aria-label={`Take out line ${i + 1}`}
                    onClick={() => onChange({ pairs: pairs.filter((_, j) => j !== i) })}
                    className="grid size-7 place-items-center rounded text-quiet hover:bg-sunken"
                  >
                    <X className="size-3.5" aria-hidden="true" />
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="flex gap-4">
          <LinkButton
            className="inline-flex items-center gap-1"
            onClick={() => onChange({ pairs: [...pairs, emptyPair] })}
          >
            <Plus className="size-3.5" aria-hidden="true" /> One more
          </LinkButton>
          <Occurring
            type={type.id}
            path={edit.from ?? field.name}
            selection={selection}
            onTake={(values) => {
              const said = pairs.filter((p) => String(p.new) !== '');
              const known = new Set(said.map((p) => String(p.old)));
              onChange({ pairs: [...said, ...values.filter((v) => !known.has(v)).map((old) => ({ old, new: '' }))] });
            }}
          />
        </p>
        <ChoiceRow
          label="All others"
          value={edit.rest ?? 'leave'}
          options={{ leave: 'stay as they are', refuse: 'are not allowed' }}
          onChange={(rest) => onChange({ rest })}
        />
      </div>
    );
  },
};

/** Fills the left side with the values that occur. */
function Occurring({
  type,
  path,
  selection,
  onTake,
}: {
  type: string;
  path: string;
  selection: SelectionParts;
  onTake: (values: readonly string[]) => void;
}) {
  const values = useQuery({ ...queries.values(type, selection, { fields: [path], most: 200 }), enabled: false });
  const fill = (found: readonly FieldValues[] | undefined): void =>
    onTake((found?.[0]?.values ?? []).map((v) => (v.value === null ? '' : (v.label ?? v.value))));
  return (
    <LinkButton onClick={() => void values.refetch().then(({ data }) => fill(data))}>Fill in what occurs</LinkButton>
  );
}
