import { ChoiceRow, TextRow } from './parts';
import { dateEdges, dayNames } from '@tantamos/core';
import { isNumber, isTime, type DraftEdit, type EditForm } from './form';

type Edge = NonNullable<DraftEdit<'shift'>['to']>;
type Weekday = NonNullable<DraftEdit<'shift'>['next']>;

const named = <T extends string>(all: readonly T[], words: (one: T) => string): Record<T | '', string> =>
  Object.fromEntries([['', '—'], ...all.map((one) => [one, words(one)])]) as Record<T | '', string>;
const capital = (word: string): string => word[0]!.toUpperCase() + word.slice(1);

/** A number or a date moved on from where it is. */
export const shift: EditForm<'shift'> = {
  action: 'Shift',
  isWide: () => true,
  fits: (field) => isNumber(field) || isTime(field),
  complete(edit) {
    const { field, by, percent, unit, to, next, round, least, most } = edit;
    const said = { by, percent, unit, to, next, round, least, most };
    const real = Object.fromEntries(Object.entries(said).filter(([, v]) => v !== undefined && v !== ''));
    const { unit: _, ...amounts } = real;
    return field !== undefined && Object.keys(amounts).length > 0 ? { kind: 'shift', field, ...real } : null;
  },
  Form({ field, edit, onChange }) {
    if (isTime(field))
      return (
        <div className="space-y-1.5">
          <TextRow label="By" value={edit.by} usual="such as 10, or -10" onChange={(by) => onChange({ by })} trimmed />
          <ChoiceRow
            label="Counted in"
            value={edit.unit ?? 'days'}
            options={{
              days: 'days',
              'working days': 'working days',
              weeks: 'weeks',
              months: 'months',
              years: 'years',
            }}
            onChange={(unit) => onChange({ unit })}
          />
          <ChoiceRow
            label="Then to the"
            value={edit.to ?? ''}
            options={named<Edge>(dateEdges, (e) => e)}
            onChange={(to) => onChange({ to: to || undefined })}
          />
          <ChoiceRow
            label="To the next"
            value={edit.next ?? ''}
            options={named<Weekday>(dayNames, capital)}
            onChange={(next) => onChange({ next: next || undefined })}
          />
        </div>
      );
    return (
      <div className="space-y-1.5">
        <TextRow
          label="By percent"
          value={edit.percent}
          usual="such as 5"
          onChange={(percent) => onChange({ percent })}
          trimmed
        />
        <TextRow
          label="And by"
          value={edit.by}
          usual="such as 10, or -10"
          onChange={(by) => onChange({ by })}
          trimmed
        />
        <TextRow
          label="Round to"
          value={edit.round}
          usual="digits after the point"
          onChange={(round) =>
            onChange({ round: round !== undefined && /^-?\d+$/.test(round) ? Number(round) : undefined })
          }
          trimmed
        />
        <TextRow label="No less than" value={edit.least} onChange={(least) => onChange({ least })} trimmed />
        <TextRow label="No more than" value={edit.most} onChange={(most) => onChange({ most })} trimmed />
      </div>
    );
  },
};
