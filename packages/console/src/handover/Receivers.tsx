import { Plus, X } from 'lucide-react';
import { LinkButton } from '../components/Button';
import { textInput } from '../components/inputs';
import { ReferenceInput } from '../job/ValueInput';

/** To whom, and how it is divided among several. */
export interface Receiving {
  readonly how: 'evenly' | 'weights' | 'level';
  readonly people: readonly { readonly to: string; readonly weight: number }[];
}

interface Props {
  /** The type that they are records of. */
  type: string;
  receiving: Receiving;
  onChange: (next: Receiving) => void;
}

const hows = { evenly: 'evenly', weights: 'by weights', level: 'to whoever has fewest' } as const;

export function Receivers({ type, receiving, onChange }: Props) {
  const { how, people } = receiving;
  const set = (i: number, next: Partial<Receiving['people'][number]>): void =>
    onChange({ ...receiving, people: people.map((p, j) => (j === i ? { ...p, ...next } : p)) });
  return (
    <fieldset className="space-y-2">
      <legend className="mb-1 font-semibold">To whom</legend>
      {people.map((p, i) => (
        <div key={i} className="flex items-center gap-2">
          <div className="w-72">
            <ReferenceInput
              typeId={type}
              label={i === 0 ? 'To whom' : `To whom, number ${i + 1}`}
              value={p.to}
              onChange={(to) => set(i, { to })}
            />
          </div>
          {how === 'weights' && (
            <input
              aria-label={`Weight of number ${i + 1}`}
              type="number"
              min={0}
              className={`${textInput} w-20!`}
              value={p.weight}
              onChange={(e) => set(i, { weight: Math.max(0, Number(e.target.value)) })}
            />
          )}
          {people.length > 1 && (
            <button
              type="button"
              aria-label={`Not to number ${i + 1}`}
              onClick={() => onChange({ ...receiving, people: people.filter((_, j) => j !== i) })}
              className="grid size-8 place-items-center rounded text-quiet hover:bg-sunken"
            >
              <X className="size-4" aria-hidden="true" />
            </button>
          )}
        </div>
      ))}
      <p className="flex flex-wrap items-center gap-x-5 gap-y-1">
        <LinkButton
          className="inline-flex items-center gap-1"
          onClick={() => onChange({ ...receiving, people: [...people, { to: '', weight: 1 }] })}
        >
          <Plus className="size-3.5" aria-hidden="true" /> Another person
        </LinkButton>
        {people.length > 1 &&
          (Object.keys(hows) as Receiving['how'][]).map((id) => (
            <label key={id} className="flex items-center gap-1.5">
              <input
                type="radio"
                name="how"
                className="accent-accent"
                checked={how === id}
                onChange={() => onChange({ ...receiving, how: id })}
              />
              {hows[id]}
            </label>
          ))}
      </p>
    </fieldset>
  );
}
