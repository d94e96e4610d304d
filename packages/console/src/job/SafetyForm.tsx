import type { SafetyBody, TypeView } from '@tantamos/contract';
import { dayNames, firing, hasOrder, mostAtOnce, usualBatch, type LimitName } from '@tantamos/core';
import { useState } from 'react';
import { usePerson } from '../app/session';
import { LinkButton } from '../components/Button';
import { capital, number } from '../components/format';
import { NumberInSentence, textInput } from '../components/inputs';

interface Props {
  type: TypeView;
  /** Names of the fields that are changed. */
  edited: readonly string[];
  safety: SafetyBody;
  writeAgain: boolean;
  onChange: (next: SafetyBody) => void;
  onWriteAgain: (writeAgain: boolean) => void;
}

const always: readonly (keyof SafetyBody)[] = ['atMost', 'askAfter', 'first'];
const limits: readonly { limit: LimitName; before: string; after: string }[] = [
  { limit: 'failures', before: 'More than', after: 'could not be changed' },
  { limit: 'editedSince', before: 'More than', after: 'were changed by others' },
  { limit: 'minutes', before: 'It works more than', after: 'minutes' },
  { limit: 'slowdown', before: 'A small write takes', after: 'times as long as before' },
  { limit: 'waiting', before: 'More than', after: 'others wait for its locks' },
  { limit: 'lag', before: 'A replica is more than', after: 'seconds behind' },
];

/** How carefully the run is to go about it: what is asked nearly always, and the rest where it is wanted. */
export function SafetyForm({ type, edited, safety, writeAgain, onChange, onWriteAgain }: Props) {
  const [more, setMore] = useState(
    writeAgain || Object.keys(safety).some((k) => !always.includes(k as keyof SafetyBody)),
  );
  const set = (next: SafetyBody): void => onChange(said({ ...safety, ...next }));
  const stopIf = safety.stopIf ?? {};
  const { bounds } = type;
  return (
    <>
      <NumberInSentence
        before="Change nothing if more than"
        after="would change"
        value={safety.atMost ?? null}
        onChange={(atMost) => set({ atMost })}
      />
      <NumberInSentence
        before="Ask me after the first"
        value={safety.askAfter || null}
        onChange={(askAfter) => set({ askAfter })}
      />
      {safety.askAfter ? (
        <Check
          label="One of each different old → new first"
          checked={safety.first === 'spread'}
          onChange={(on) => set({ first: on ? 'spread' : undefined })}
        />
      ) : null}
      {!more && <LinkButton onClick={() => setMore(true)}>More…</LinkButton>}
      {more && (
        <div className="space-y-3 pt-1">
          <Group title="How fast">
            <NumberInSentence
              before="Batches of"
              after="records"
              usual={number(bounds.usualBatch ?? usualBatch(firing(type, 'update', edited).length === 0))}
              value={safety.batchSize ?? null}
              most={bounds.largestBatch}
              onChange={(batchSize) => set({ batchSize: batchSize || null })}
            />
            <NumberInSentence
              before="Batches at once"
              usual={String(bounds.usualAtOnce ?? 1)}
              value={safety.atOnce ?? null}
              most={bounds.mostAtOnce ?? mostAtOnce}
              onChange={(atOnce) => set({ atOnce: atOnce || undefined })}
            />
            <NumberInSentence
              before="Work"
              after="% of the time, and rest otherwise"
              usual={bounds.usualPace === null ? 'auto' : String(bounds.usualPace)}
              value={safety.pace ?? null}
              most={bounds.mostPace ?? 100}
              onChange={(pace) => set({ pace: pace || undefined })}
            />
            <NumberInSentence
              before="At most"
              after="records a second"
              value={safety.perSecond ?? null}
              onChange={(perSecond) => set({ perSecond: perSecond || null })}
            />
          </Group>
          <Group title="When">
            <NumberInSentence
              before="At most"
              after="in one go"
              value={safety.perGo ?? null}
              onChange={(perGo) => set({ perGo: perGo || null })}
            />
            {safety.perGo ? (
              <NumberInSentence
                before="Next go by itself after"
                after="minutes"
                usual="ask"
                value={safety.goEvery ?? null}
                most={10_080}
                onChange={(goEvery) => set({ goEvery: goEvery || null })}
              />
            ) : null}
            <OrderForm type={type} order={safety.order ?? null} onChange={(order) => set({ order })} />
            <HoursForm hours={safety.hours ?? null} onChange={(hours) => set({ hours })} />
          </Group>
          <Group title="Do not begin if">
            <NumberInSentence
              before="Fewer than"
              after="would change"
              value={safety.atLeast ?? null}
              onChange={(atLeast) => set({ atLeast: atLeast || null })}
            />
            <NumberInSentence
              before="More than"
              after={`% of all ${type.label.toLowerCase()} would`}
              value={safety.atMostShare ?? null}
              most={100}
              onChange={(atMostShare) => set({ atMostShare })}
            />
            <Check
              label="Another run is on these records"
              checked={safety.alone ?? false}
              onChange={(on) => set({ alone: on || undefined })}
            />
          </Group>
          <Group title="Pause and ask if, while it works">
            {limits.map(({ limit, before, after }) => (
              <NumberInSentence
                key={limit}
                before={before}
                after={after}
                value={stopIf[limit] ?? null}
                onChange={(n) => set({ stopIf: said({ ...stopIf, [limit]: n }) })}
              />
            ))}
          </Group>
          <Check
            label="Write what is right already again, so that triggers of the database fire"
            checked={writeAgain}
            onChange={onWriteAgain}
          />
        </div>
      )}
    </>
  );
}

/** Without what is not said. */
function said<T extends object>(all: T): T {
  return Object.fromEntries(
    Object.entries(all).filter(([, v]) => v != null && (typeof v !== 'object' || Object.keys(v as object).length > 0)),
  ) as T;
}

/** By which field records come first; by more than one only as it was said elsewhere. */
function OrderForm({
  type,
  order,
  onChange,
}: {
  type: TypeView;
  order: SafetyBody['order'];
  onChange: (order: SafetyBody['order']) => void;
}) {
  const fields = type.fields.filter((f) => !f.hidden && hasOrder(f));
  const [first = '', ...more] = order ?? [];
  const name = first.replace(/^[-+]/, '');
  if (!order) {
    const usual = fields.find((f) => f.base === 'date' || f.base === 'moment') ?? fields[0];
    if (!usual) return null;
    return <LinkButton onClick={() => onChange([usual.name])}>In a certain order…</LinkButton>;
  }
  return (
    <div className="flex flex-wrap items-center gap-1.5">
      In the order of
      <select
        aria-label="In the order of"
        className={`${textInput} h-7! w-auto! max-w-44`}
        value={name}
        onChange={(e) => onChange([`${first.startsWith('-') ? '-' : ''}${e.target.value}`, ...more])}
      >
        {!fields.some((f) => f.name === name) && <option value={name}>{name}</option>}
        {fields.map((f) => (
          <option key={f.name} value={f.name}>
            {f.label}
          </option>
        ))}
      </select>
      <select
        aria-label="Which way"
        className={`${textInput} h-7! w-auto!`}
        value={first.startsWith('-') ? 'down' : 'up'}
        onChange={(e) => onChange([`${e.target.value === 'down' ? '-' : ''}${name}`, ...more])}
      >
        <option value="up">lowest first</option>
        <option value="down">highest first</option>
      </select>
      {more.length > 0 && <span className="text-quiet">then {more.join(', ')}</span>}
      <LinkButton onClick={() => onChange(null)}>In any order</LinkButton>
    </div>
  );
}

function HoursForm({ hours, onChange }: { hours: SafetyBody['hours']; onChange: (h: SafetyBody['hours']) => void }) {
  const { workspace } = usePerson();
  if (!hours)
    return (
      <LinkButton onClick={() => onChange({ zone: workspace.timeZone, from: '20:00', to: '06:00' })}>
        Only at certain hours…
      </LinkButton>
    );
  const days = hours.days ?? [1, 2, 3, 4, 5, 6, 7];
  return (
    <div className="space-y-1.5 rounded border border-line p-2">
      <p className="flex flex-wrap items-center gap-1.5">
        Only from
        {(['from', 'to'] as const).map((end) => (
          <label key={end} className="contents">
            {end === 'to' && 'to'}
            <span className="sr-only">{end === 'from' ? 'Begins at' : 'Ends at'}</span>
            <input
              type="time"
              required
              className={`${textInput} h-7! w-26!`}
              value={hours[end]}
              onChange={(e) => e.target.value && onChange({ ...hours, [end]: e.target.value })}
            />
          </label>
        ))}
        <LinkButton onClick={() => onChange(null)}>At any time</LinkButton>
      </p>
      <p className="flex flex-wrap gap-x-2.5">
        {dayNames.map((name, i) => (
          <label key={name} className="inline-flex items-center gap-1" title={capital(name)}>
            <input
              type="checkbox"
              aria-label={capital(name)}
              className="accent-accent"
              checked={days.includes(i + 1)}
              onChange={(e) => {
                const next = e.target.checked ? [...days, i + 1].sort() : days.filter((d) => d !== i + 1);
                if (next.length > 0) onChange({ ...hours, days: next.length === 7 ? undefined : next });
              }}
            />
            {capital(name.slice(0, 2))}
          </label>
        ))}
      </p>
      <p className="text-xs text-quiet">By the clock of {hours.zone}.</p>
    </div>
  );
}

function Group({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <fieldset className="space-y-0.5">
      <legend className="font-medium">{title}</legend>
      {children}
    </fieldset>
  );
}

function Check({ label, checked, onChange }: { label: string; checked: boolean; onChange: (on: boolean) => void }) {
  return (
    <label className="flex items-start gap-2">
      <input
        type="checkbox"
        className="mt-1 accent-accent"
        checked={checked}
        onChange={(e) => onChange(e.target.checked)}
      />
      {label}
    </label>
  );
}
