import type { FieldValues, SelectionParts } from '@tantamos/contract';
import { hasOrder } from '@tantamos/core';
import type { Expression } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { Pin, PinOff } from 'lucide-react';
import { useState } from 'react';
import { Button, LinkButton } from '../components/Button';
import { number } from '../components/format';
import { textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { Picker } from '../components/Picker';
import { Sheet } from '../components/Sheet';
import { useSettled } from '../components/useSettled';
import { isNoneOf, isOneOf, literalOf, nameOf } from './conditions';
import type { FieldChoice } from './fields';
import { KeepCounts } from './KeepCounts';
import { queries } from '../queries';

interface Props {
  type: string;
  parts: SelectionParts;
  /** The field whose values are shown; null: closed. */
  choice: FieldChoice | null;
  fields: readonly FieldChoice[];
  pinned: boolean;
  onPin: (on: boolean) => void;
  onNarrow: (condition: Expression) => void;
  onCross: (columns: string) => void;
  onCounts: () => void;
  onClose: () => void;
}

/** A field's values under the present filter, with their counts: to keep or leave out one or several. */
export function ValuesDrawer(props: Props) {
  const { choice, onClose } = props;
  return (
    <Sheet
      open={choice !== null}
      onClose={onClose}
      side="right"
      title={choice ? `Values of ${choice.label}` : ''}
      about="Of the records that match now."
    >
      {choice && <Values key={choice.path} {...props} choice={choice} />}
    </Sheet>
  );
}

function Values({
  type,
  parts,
  choice,
  fields,
  pinned,
  onPin,
  onNarrow,
  onCross,
  onCounts,
  onClose,
}: Props & { choice: FieldChoice }) {
  const [search, setSearch] = useState('');
  const [picked, setPicked] = useState<readonly (string | null)[]>([]);
  const settled = useSettled(search, 250);
  const asked = { fields: [choice.path], most: 200, search: settled || undefined, ranges: true };
  const found = useQuery({ ...queries.values(type, parts, asked), retry: false });
  const values = found.data?.[0];
  const toggle = (v: string | null): void =>
    setPicked((now) => (now.includes(v) ? now.filter((o) => o !== v) : [...now, v]));
  const narrow = (condition: Expression): void => {
    onNarrow(condition);
    onClose();
  };
  const single = choice.field.base !== 'list';
  return (
    <>
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <Problems error={found.error} />
        {values?.ranges && values.ranges.steps.length > 1 && (
          <Histogram values={values} choice={choice} onNarrow={narrow} />
        )}
        <input
          aria-label="Search in the values"
          className={textInput}
          placeholder="Search in the values"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        {!values ? (
          <p className="text-quiet" role="status">
            {found.isError ? '' : 'Counting …'}
          </p>
        ) : (
          <>
            <ul aria-label={`Values of ${choice.label}`} className={found.isPlaceholderData ? 'opacity-60' : ''}>
              {values.values.map((v) => (
                <li key={v.value ?? ' blank'}>
                  <label className="relative flex items-center gap-2 rounded px-1.5 py-1 hover:bg-accent-soft">
                    <span
                      aria-hidden="true"
                      className="absolute inset-y-0.5 left-7 rounded-sm bg-accent-soft"
                      style={{ width: `calc((100% - 6rem) * ${v.count / Math.max(1, values.values[0]!.count)})` }}
                    />
                    <input
                      type="checkbox"
                      className="relative accent-accent"
                      checked={picked.includes(v.value)}
                      disabled={!single && v.value !== null}
                      onChange={() => toggle(v.value)}
                    />
                    <span className={`relative min-w-0 flex-1 truncate ${v.value === null ? 'text-quiet italic' : ''}`}>
                      {v.label ?? (v.value === null ? 'blank' : v.value === '' ? 'empty text' : v.value)}
                    </span>
                    <span className="relative">{number(v.count)}</span>
                  </label>
                </li>
              ))}
            </ul>
            <p className="text-xs text-quiet">
              {number(values.kinds)} different in {number(values.total)} records
              {values.kinds > values.values.length && `; the ${number(values.values.length)} most frequent are shown`}
            </p>
          </>
        )}
      </div>
      <div className="space-y-2 border-t border-line p-4">
        <div className="flex gap-2">
          <Button
            main
            disabled={picked.length === 0}
            onClick={() => narrow(isOneOf(choice.path, choice.field, picked))}
          >
            Keep {picked.length > 0 && number(picked.length)}
          </Button>
          <Button disabled={picked.length === 0} onClick={() => narrow(isNoneOf(choice.path, choice.field, picked))}>
            Leave out {picked.length > 0 && number(picked.length)}
          </Button>
          <span className="flex-1" />
          <Button onClick={() => onPin(!pinned)} aria-pressed={pinned}>
            {pinned ? <PinOff className="size-4" aria-hidden="true" /> : <Pin className="size-4" aria-hidden="true" />}
            {pinned ? 'Unpin' : 'Pin'}
          </Button>
        </div>
        <div className="flex items-center gap-2">
          <span className="text-quiet">Cross with</span>
          <Picker
            label="Cross with"
            className="flex-1"
            value={null}
            shown={<span className="text-quiet">another field…</span>}
            options={fields
              .filter((f) => f.path !== choice.path && hasOrder(f.field))
              .map((f) => ({ id: f.path, label: f.label, more: f.field.comment ?? '' }))}
            onPick={onCross}
          />
        </div>
        <KeepCounts type={type} parts={parts} fields={[choice.path]} onShow={onCounts} />
      </div>
    </>
  );
}

/** Counts by ranges; a click keeps one range, a second widens it. */
function Histogram({
  values,
  choice,
  onNarrow,
}: {
  values: FieldValues;
  choice: FieldChoice;
  onNarrow: (c: Expression) => void;
}) {
  const { steps, low, high } = values.ranges!;
  const [range, setRange] = useState<readonly [number, number] | null>(null);
  const most = Math.max(...steps.map((s) => s.count));
  const press = (i: number): void =>
    setRange(range === null || range[0] !== range[1] ? [i, i] : [Math.min(range[0], i), Math.max(range[1], i)]);
  const keep = (): void => {
    const span = { start: 0, end: 0 };
    const field = choice.field.base === 'moment' ? ({ base: 'date' } as const) : choice.field;
    const operand = nameOf(choice.path);
    const ends = { from: steps[range![0]]!.from, to: steps[range![1]]!.to };
    onNarrow({
      kind: 'and',
      operands: [
        { kind: 'compare', op: '>=', left: operand, right: literalOf(field, ends.from), span },
        { kind: 'compare', op: '<', left: operand, right: literalOf(field, ends.to), span },
      ],
      span,
    });
  };
  return (
    <div className="space-y-1">
      <div className="flex h-16 items-end gap-px" role="group" aria-label={`Ranges of ${choice.label}`}>
        {steps.map((s, i) => {
          const on = range !== null && i >= range[0] && i <= range[1];
          return (
            <button
              key={s.from}
              type="button"
              aria-pressed={on}
              title={`${s.from} to under ${s.to}: ${number(s.count)}`}
              aria-label={`${s.from} to under ${s.to}: ${number(s.count)} records`}
              onClick={() => press(i)}
              className={`min-w-0 flex-1 rounded-t-sm ${on ? 'bg-accent' : 'bg-line-strong/60 hover:bg-accent'}`}
              style={{ height: `${Math.max(4, (100 * s.count) / most)}%` }}
            />
          );
        })}
      </div>
      <p className="flex justify-between text-xs text-quiet">
        <span>{low}</span>
        <span>
          {range ? (
            <LinkButton onClick={keep}>
              Keep {steps[range[0]]!.from} to under {steps[range[1]]!.to}
            </LinkButton>
          ) : (
            'press a bar, then a second for a range'
          )}
        </span>
        <span>{high}</span>
      </p>
    </div>
  );
}
