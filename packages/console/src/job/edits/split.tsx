import { Plus, X } from 'lucide-react';
import { LinkButton } from '../../components/Button';
import { textInput } from '../../components/inputs';
import { ValueInput } from '../ValueInput';
import { ChoiceRow, FieldRow, TextRow } from './parts';
import type { DraftEdit, EditForm } from './form';

type Share = NonNullable<DraftEdit<'split'>['among']>[number];

/** The records divided among several. */
export const split: EditForm<'split'> = {
  action: 'Split among',
  isWide: () => true,
  fits: (field) => field.refersTo !== null || field.choices !== null || field.base === 'text',
  complete({ field, among, together, level, order }) {
    const all = (among ?? []).filter((s) => String(s.to) !== '');
    if (field === undefined || all.length === 0) return null;
    if (level) return { kind: 'split', field, among: all.map(({ to }) => ({ to })), level, ...(order && { order }) };
    return { kind: 'split', field, among: all, ...(together && { together }), ...(order && { order }) };
  },
  Form({ type, field, fields, edit, onChange }) {
    const among: readonly Share[] = edit.among ?? [{ to: '' }, { to: '' }];
    const set = (i: number, next: Share): void => onChange({ among: among.map((s, j) => (j === i ? next : s)) });
    const [load] = edit.level ?? [];
    return (
      <div className="space-y-1.5">
        <ChoiceRow
          label="How"
          value={load ? 'level' : 'share'}
          options={{ share: 'evenly, or by weight', level: 'who has fewest gets the next' }}
          onChange={(how) => onChange({ level: how === 'level' ? [{}] : undefined })}
        />
        {load && (
          <TextRow
            label="Counting those"
            value={load.filter}
            usual={`all; or a filter on ${type.label.toLowerCase()}`}
            mono
            onChange={(filter) =>
              onChange({ level: [{ ...load, filter }, ...edit.level!.slice(1)].map((l) => ({ ...l })) })
            }
          />
        )}
        <p aria-hidden="true" className="flex justify-between pr-8.5 text-xs text-quiet">
          To whom {!load && <span>how much</span>}
        </p>
        <ol aria-label="Among" className="space-y-1">
          {among.map((share, i) => (
            <li key={i} className="flex items-center gap-1.5">
              <div className="min-w-0 flex-1">
                <ValueInput field={field} value={String(share.to)} onChange={(to) => set(i, { ...share, to })} />
              </div>
              {!load && (
                <input
                  aria-label={`Weight of the ${i + 1}.`}
                  title="How much, beside the others"
                  inputMode="decimal"
                  placeholder="1"
                  className={`${textInput} w-14! text-right`}
                  value={share.weight ?? ''}
                  onChange={(e) => {
                    const { weight: _, ...rest } = share;
                    const weight = e.target.value.trim();
                    set(i, weight === '' ? rest : { ...rest, weight });
                  }}
                />
              )}
              <button
                type="button"
                aria-label={`Take out the ${i + 1}.`}
                onClick={() => onChange({ among: among.filter((_, j) => j !== i) })}
                className="grid size-7 shrink-0 place-items-center rounded text-quiet hover:bg-sunken"
              >
                <X className="size-3.5" aria-hidden="true" />
              </button>
            </li>
          ))}
        </ol>
        <LinkButton
          className="inline-flex items-center gap-1"
          onClick={() => onChange({ among: [...among, { to: '' }] })}
        >
          <Plus className="size-3.5" aria-hidden="true" /> One more
        </LinkButton>
        {!load && (
          <FieldRow
            label="Keep together"
            none="(each by itself)"
            value={edit.together?.[0]}
            fields={fields.filter((f) => f.field.base !== 'list')}
            onChange={(path) => onChange({ together: path === undefined ? undefined : [path] })}
          />
        )}
      </div>
    );
  },
};
