import { FieldRow, OrderRow, TextRow, TickRow } from './parts';
import { isFreeText, isNumber, type EditForm } from './form';

/** A running number or code. */
export const number: EditForm<'number'> = {
  action: 'Number',
  isWide: () => true,
  fits: (field) => isFreeText(field) || isNumber(field),
  complete({ field, start, goOn, step, prefix, width, order, per }) {
    const real = Object.fromEntries(
      Object.entries({ start, goOn, step, prefix, width, order, per }).filter(([, v]) => v !== undefined),
    );
    return field === undefined ? null : { kind: 'number', field, ...real };
  },
  Form({ field, fields, edit, onChange }) {
    return (
      <div className="space-y-1.5">
        <TextRow label="From" value={edit.start} usual="1" onChange={(start) => onChange({ start })} trimmed />
        <TickRow
          label="go on after the highest in use"
          checked={edit.goOn ?? false}
          onChange={(on) => onChange({ goOn: on || undefined })}
        />
        <TextRow label="In steps of" value={edit.step} usual="1" onChange={(step) => onChange({ step })} trimmed />
        {isFreeText(field) && (
          <>
            <TextRow
              label="Before it"
              value={edit.prefix}
              usual="such as {crop}-"
              onChange={(prefix) => onChange({ prefix })}
            />
            <TextRow
              label="Digits"
              value={edit.width}
              usual="as many as it has"
              onChange={(w) => onChange({ width: w !== undefined && /^\d+$/.test(w) ? Number(w) : undefined })}
              trimmed
            />
          </>
        )}
        <OrderRow label="Ordered by" fields={fields} order={edit.order} onChange={(order) => onChange({ order })} />
        <FieldRow
          label="Anew for each"
          none="(one row for all)"
          value={edit.per?.[0]}
          fields={fields.filter((f) => f.field.base !== 'list')}
          onChange={(path) => onChange({ per: path === undefined ? undefined : [path] })}
        />
      </div>
    );
  },
};
