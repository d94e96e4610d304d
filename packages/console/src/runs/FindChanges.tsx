import type { ChangesQuery } from '@tantamos/contract';
import { outcomes, outcomeWords, type Outcome } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { useId, type ReactNode } from 'react';
import { LinkButton } from '../components/Button';
import { capital } from '../components/format';
import { textInput } from '../components/inputs';
import { queries } from '../queries';

export type Wanted = Omit<ChangesQuery, 'after' | 'limit'>;

interface Props {
  wanted: Wanted;
  onChange: (wanted: Wanted) => void;
}

/** Which changes are looked for: what is said of them must all hold. */
export function FindChanges({ wanted, onChange }: Props) {
  const types = useQuery(queries.types()).data ?? [];
  const type = useQuery({ ...queries.type(wanted.type ?? ''), enabled: wanted.type !== undefined }).data;
  const set = (next: Wanted): void =>
    onChange(Object.fromEntries(Object.entries({ ...wanted, ...next }).filter(([, v]) => v !== undefined)));
  const text = (name: 'since' | 'until' | 'by' | 'text' | 'record' | 'old' | 'new', hint: string) => (id: string) => (
    <input
      id={id}
      className={textInput}
      placeholder={hint}
      value={wanted[name] ?? ''}
      onChange={(e) => set({ [name]: e.target.value || undefined })}
    />
  );
  return (
    <section aria-label="Search changes" className="border border-line bg-sheet p-3">
      <div className="grid grid-cols-2 gap-x-3 gap-y-2 md:grid-cols-4 xl:grid-cols-6">
        <Box label="Since">{text('since', 'monday, 7 days, 2026-11-20')}</Box>
        <Box label="Until">{text('until', 'now')}</Box>
        <Box label="Person">{text('by', 'anybody')}</Box>
        <Box label="Type">
          {(id) => (
            <select
              id={id}
              className={textInput}
              value={wanted.type ?? ''}
              onChange={(e) =>
                set({
                  type: e.target.value || undefined,
                  field: undefined,
                  record: undefined,
                  old: undefined,
                  new: undefined,
                })
              }
            >
              <option value="">any</option>
              {types.map((t) => (
                <option key={t.id} value={t.id}>
                  {t.label}
                </option>
              ))}
            </select>
          )}
        </Box>
        <Box label="Outcome">
          {(id) => (
            <select
              id={id}
              className={textInput}
              value={wanted.outcome ?? ''}
              onChange={(e) => set({ outcome: (e.target.value as Outcome) || undefined })}
            >
              <option value="">any</option>
              {outcomes.map((o) => (
                <option key={o} value={o}>
                  {capital(outcomeWords(o))}
                </option>
              ))}
            </select>
          )}
        </Box>
        <Box label="Words">{text('text', 'in the job or the reason')}</Box>
        {wanted.type !== undefined && (
          <>
            <Box label="Field">
              {(id) => (
                <select
                  id={id}
                  className={textInput}
                  value={wanted.field ?? ''}
                  onChange={(e) => set({ field: e.target.value || undefined, old: undefined, new: undefined })}
                >
                  <option value="">any</option>
                  {(type?.fields ?? []).map((f) => (
                    <option key={f.name} value={f.name}>
                      {f.label}
                    </option>
                  ))}
                </select>
              )}
            </Box>
            <Box label="Record">{text('record', 'its key')}</Box>
          </>
        )}
        {wanted.field !== undefined && (
          <>
            <Box label="From">{text('old', 'any value')}</Box>
            <Box label="To">{text('new', 'any value')}</Box>
          </>
        )}
      </div>
      {Object.keys(wanted).length > 0 && (
        <p className="pt-2">
          <LinkButton onClick={() => onChange({})}>Show all runs</LinkButton>
        </p>
      )}
    </section>
  );
}

function Box({ label, children }: { label: string; children: (id: string) => ReactNode }) {
  const id = useId();
  return (
    <div className="space-y-0.5">
      <label htmlFor={id} className="block text-xs text-quiet">
        {label}
      </label>
      {children(id)}
    </div>
  );
}
