import type { TypeView } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type KeyboardEvent } from 'react';
import { api } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { textInput } from '../components/inputs';
import { Picker } from '../components/Picker';
import { Problems } from '../components/Problems';
import { queries } from '../queries';

/** What new records of a type are often given: taken from what is kept under a name, or kept under one. */
export function Presets({
  into,
  edits,
  onTake,
}: {
  into: TypeView;
  /** What they get now, as far as it is said in full. */
  edits: readonly Edit[];
  onTake: (edits: readonly Edit[]) => void;
}) {
  const cache = useQueryClient();
  const all = useQuery(queries.presets()).data?.filter((p) => p.type === into.id) ?? [];
  const [name, setName] = useState<string | null>(null);
  const changed = (): Promise<void> => cache.invalidateQueries({ queryKey: queries.presets().queryKey });
  const keep = useMutation({
    mutationFn: (called: string) => api.keepPreset({ name: called, type: into.id, edits }),
    onSuccess: async () => {
      setName(null);
      await changed();
    },
  });
  const forget = useMutation({ mutationFn: (id: string) => api.dropPreset(id), onSuccess: changed });
  const used = all.find((p) => JSON.stringify(p.edits) === JSON.stringify(edits));
  const onKey = (event: KeyboardEvent): void => {
    if (event.key === 'Escape') setName(null);
    if (event.key !== 'Enter' || !name?.trim()) return;
    event.preventDefault();
    keep.mutate(name);
  };
  return (
    <div className="space-y-1.5">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-xs">
        {all.length > 0 && (
          <Picker
            label="Values kept under a name"
            shown={used ? used.name : <span className="text-quiet">Take values kept under a name</span>}
            value={used?.id ?? null}
            className="w-full text-sm"
            options={all.map((p) => ({
              id: p.id,
              label: p.name,
              note: p.mine ? 'yours' : p.savedBy,
              about: p.sentence,
              not: p.trouble,
            }))}
            onPick={(id) => onTake(all.find((p) => p.id === id)!.edits)}
          />
        )}
        {edits.length > 0 && !used && name === null && (
          <LinkButton onClick={() => setName('')}>Keep these values…</LinkButton>
        )}
        {used?.mine && <LinkButton onClick={() => forget.mutate(used.id)}>Forget “{used.name}”</LinkButton>}
      </div>
      {name !== null && (
        <div className="flex items-center gap-1.5">
          <input
            aria-label="Name to keep these values under"
            autoFocus
            className={textInput}
            placeholder={`A name, such as Monday call`}
            maxLength={100}
            value={name}
            onChange={(e) => setName(e.target.value)}
            onKeyDown={onKey}
          />
          <Button disabled={!name.trim()} busy={keep.isPending} onClick={() => keep.mutate(name)}>
            Keep
          </Button>
          <Button onClick={() => setName(null)}>Cancel</Button>
        </div>
      )}
      <Problems error={keep.error ?? forget.error} />
    </div>
  );
}
