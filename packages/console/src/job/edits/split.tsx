import { Loads } from './Loads';
import { ChoiceRow, FieldRow, OrderRow } from './parts';
import type { EditForm } from './form';
import { said, Shares, type Share } from './Shares';

/** The records divided among several. */
export const split: EditForm<'split'> = {
  action: 'Split among',
  isWide: () => true,
  fits: (field) => field.refersTo !== null || field.choices !== null || field.base === 'text',
  complete({ field, among, together, level, follow, order }) {
    const all = said(among);
    if (field === undefined || all.length === 0) return null;
    if (level) return { kind: 'split', field, among: all.map(({ to }) => ({ to })), level, ...(order && { order }) };
    return {
      kind: 'split',
      field,
      among: all,
      ...(follow ? { follow } : together && { together }),
      ...(order && { order }),
    };
  },
  Form({ type, field, fields, edit, onChange }) {
    // Of what the records point at: who answers for the parent.
    const owners = fields.filter(
      (f) => f.path.includes('.') && field.refersTo !== null && f.field.refersTo === field.refersTo,
    );
    const among: readonly Share[] = edit.among ?? [{ to: '' }, { to: '' }];
    return (
      <div className="space-y-1.5">
        <ChoiceRow
          label="How"
          value={edit.level ? 'level' : 'share'}
          options={{ share: 'evenly, or by weight', level: 'who has fewest gets the next' }}
          onChange={(how) => onChange({ level: how === 'level' ? [{}] : undefined })}
        />
        {edit.level && <Loads type={type} field={field} loads={edit.level} onChange={(level) => onChange({ level })} />}
        <Shares
          field={field}
          shares={among}
          head="To whom"
          weighted={!edit.level}
          onChange={(next) => onChange({ among: next })}
        />
        {!edit.level && owners.length > 0 && (
          <FieldRow
            label="Go with"
            none="(nobody: all are divided)"
            value={edit.follow}
            fields={owners}
            onChange={(follow) => onChange({ follow })}
          />
        )}
        {!edit.level && edit.follow === undefined && (
          <FieldRow
            label="Keep together"
            none="(each by itself)"
            value={edit.together?.[0]}
            fields={fields.filter((f) => f.field.base !== 'list')}
            onChange={(path) => onChange({ together: path === undefined ? undefined : [path] })}
          />
        )}
        <OrderRow label="Dealt out by" fields={fields} order={edit.order} onChange={(order) => onChange({ order })} />
      </div>
    );
  },
};
