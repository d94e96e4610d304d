import type { RelatedBody, TypeSummary, TypeView } from '@tantamos/contract';
import { useState } from 'react';
import { menuItem } from '../components/Menu';
import { useAllTypes, waysTo } from './all-types';

export interface RelatedProps {
  type: TypeView;
  types: readonly TypeSummary[];
  /** Goes to that type, to those related to what is selected now. */
  onGo: (type: string, related: Pick<RelatedBody, 'how' | 'field' | 'self'>) => void;
}

/** From these records to their relatives: what points at them, what they point at, their family. */
export function RelatedChoices({ type, types, onGo }: RelatedProps) {
  const [self, setSelf] = useState(false);
  const pointing = useAllTypes().flatMap((t) => waysTo(t, type.id).map((f) => ({ type: t, field: f })));
  const pointed = type.fields.filter((f) => f.refersTo !== null && !f.hidden);
  const own = pointed.filter((f) => f.refersTo === type.id);
  const label = (id: string): string => types.find((t) => t.id === id)?.label ?? id;
  const these = `these ${type.label.toLowerCase()}`;
  const section = 'pb-1 text-xs font-semibold tracking-wide text-quiet uppercase';
  return (
    <div className="space-y-3">
      <section>
        <h3 className={section}>What points at {these}</h3>
        {pointing.length === 0 && <p className="text-quiet">Nothing does.</p>}
        {pointing.map(({ type: t, field }) => (
          <button
            key={`${t.id}.${field.name}`}
            type="button"
            className={menuItem}
            onClick={() => onGo(t.id, { how: 'pointing_at', field: field.name })}
          >
            <span>{t.label}</span>
            <span className="text-quiet">by {field.label.toLowerCase()}</span>
          </button>
        ))}
      </section>
      {pointed.length > 0 && (
        <section>
          <h3 className={section}>What {these} point at</h3>
          {pointed.map((f) => (
            <button
              key={f.name}
              type="button"
              className={menuItem}
              onClick={() => onGo(f.refersTo!, { how: 'pointed_at', field: f.name })}
            >
              <span>{label(f.refersTo!)}</span>
              <span className="text-quiet">their {f.label.toLowerCase()}</span>
            </button>
          ))}
        </section>
      )}
      {pointed.length > 0 && (
        <section>
          <h3 className={section}>Their family</h3>
          <label className="flex items-center gap-1.5 pb-1">
            <input
              type="checkbox"
              className="accent-accent"
              checked={self}
              onChange={(e) => setSelf(e.target.checked)}
            />
            with {these} themselves
          </label>
          {own.map((f) => (
            <div key={f.name}>
              <button
                type="button"
                className={menuItem}
                onClick={() => onGo(type.id, { how: 'descendants', field: f.name, self })}
              >
                <span>All beneath them</span> <span className="text-quiet">by {f.label.toLowerCase()}</span>
              </button>
              <button
                type="button"
                className={menuItem}
                onClick={() => onGo(type.id, { how: 'ancestors', field: f.name, self })}
              >
                <span>All above them</span> <span className="text-quiet">by {f.label.toLowerCase()}</span>
              </button>
            </div>
          ))}
          {pointed.map((f) => (
            <button
              key={f.name}
              type="button"
              className={menuItem}
              onClick={() => onGo(type.id, { how: 'siblings', field: f.name, self })}
            >
              <span>
                {self ? 'All' : 'The others'} with the same {f.label.toLowerCase()}
              </span>
            </button>
          ))}
        </section>
      )}
    </div>
  );
}
