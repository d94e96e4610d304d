import type { TakeBody } from '@tantamos/contract';
import { hasOrder } from '@tantamos/core';
import { useState } from 'react';
import { Button } from '../components/Button';
import { textInput } from '../components/inputs';
import { Picker } from '../components/Picker';
import type { FieldChoice } from './fields';

export interface TakeProps {
  take: TakeBody | null;
  fields: readonly FieldChoice[];
  onTake: (take: TakeBody | null) => void;
}

/** Only the first so many, by an order; or so many at random; of each value of a field where wanted. */
export function TakeForm({ take, fields, onTake }: TakeProps) {
  const [count, setCount] = useState(String(take?.count ?? 100));
  const [random, setRandom] = useState(take?.seed !== undefined);
  const [seed, setSeed] = useState(take?.seed ?? 'sample 1');
  const [by, setBy] = useState<string | null>(take?.order?.[0]?.replace(/^-/, '') ?? null);
  const [down, setDown] = useState(take?.order?.[0]?.startsWith('-') ?? true);
  const [per, setPer] = useState<string | null>(take?.per ?? null);
  const sortable = fields.filter((f) => hasOrder(f.field));
  const options = (own: boolean) =>
    sortable
      .filter((f) => !own || !f.path.includes('.'))
      .map((f) => ({ id: f.path, label: f.label, more: f.field.comment ?? '' }));
  const shown = (path: string | null, none: string) =>
    path === null ? <span className="text-quiet">{none}</span> : (fields.find((f) => f.path === path)?.label ?? path);
  return (
    <form
      className="space-y-3"
      onSubmit={(e) => {
        e.preventDefault();
        onTake({
          count: Number(count),
          ...(random ? { seed } : by ? { order: [`${down ? '-' : ''}${by}`] } : {}),
          ...(per ? { per } : {}),
        });
      }}
    >
      <label className="flex items-center gap-2">
        Only
        <input
          aria-label="How many"
          inputMode="numeric"
          className={`${textInput} w-24! text-right`}
          value={count}
          onChange={(e) => setCount(e.target.value.replace(/\D/g, '').slice(0, 9))}
        />
        records
      </label>
      <div role="radiogroup" aria-label="Which" className="space-y-2">
        <label className="flex items-center gap-2">
          <input type="radio" className="accent-accent" checked={!random} onChange={() => setRandom(false)} /> the first
          by
          <Picker
            label="Order"
            className="w-36"
            value={by}
            shown={shown(by, 'key')}
            options={options(false)}
            onPick={setBy}
          />
        </label>
        {!random && by && (
          <label className="flex items-center gap-2 pl-6">
            <input
              type="checkbox"
              className="accent-accent"
              checked={down}
              onChange={(e) => setDown(e.target.checked)}
            />{' '}
            greatest first
          </label>
        )}
        <label className="flex items-center gap-2">
          <input type="radio" className="accent-accent" checked={random} onChange={() => setRandom(true)} /> at random,
          seed
          <input
            aria-label="Seed"
            className={`${textInput} w-28!`}
            value={seed}
            onChange={(e) => setSeed(e.target.value)}
          />
        </label>
      </div>
      <div className="flex items-center gap-2">
        so many for each
        <Picker
          label="For each"
          className="w-40"
          value={per}
          shown={shown(per, '(all together)')}
          options={[{ id: '', label: '(all together)' }, ...options(true)]}
          onPick={(id) => setPer(id || null)}
        />
      </div>
      <div className="flex gap-2">
        <Button type="submit" main disabled={count === ''}>
          Take these
        </Button>
        {take && <Button onClick={() => onTake(null)}>Take all</Button>}
      </div>
    </form>
  );
}
