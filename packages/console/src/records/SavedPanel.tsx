import { AnswerError } from '@tantamos/client';
import type { SavedSelectionView, SelectionBody, SelectionsFileBody } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, queryClient } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { moment, number } from '../components/format';
import { textInput } from '../components/inputs';
import { FileMove } from '../components/FileMove';
import { Problems } from '../components/Problems';
import { queries } from '../queries';

export interface SavedProps {
  /** What is selected now. */
  selection: SelectionBody;
  onOpen: (saved: SavedSelectionView) => void;
  onOnlyIn: (name: string) => void;
}

/** Selections under names: opened as they are, or as one more condition; and the present one saved. */
export function SavedPanel({ selection, onOpen, onOnlyIn }: SavedProps) {
  return (
    <div className="space-y-4">
      <SavedList type={selection.type} onOpen={onOpen} onOnlyIn={onOnlyIn} />
      <SaveForm selection={selection} />
      <FileMove<SelectionsFileBody>
        href="/api/selections-file"
        onTake={async (file, taken) => {
          const saved = await api.importSelections({ file, taken });
          await queryClient.invalidateQueries(queries.selections());
          return saved.map((s) => s.name);
        }}
      />
    </div>
  );
}

function SavedList({
  type,
  onOpen,
  onOnlyIn,
}: {
  type: string;
  onOpen: (s: SavedSelectionView) => void;
  onOnlyIn: (name: string) => void;
}) {
  const saved = useQuery(queries.selections());
  const drop = useMutation({
    mutationFn: (name: string) => api.dropSelection(name),
    onSettled: () => queryClient.invalidateQueries(queries.selections()),
  });
  const all = saved.data ?? [];
  return (
    <section aria-label="Saved selections" className="space-y-1">
      <Problems error={saved.error ?? drop.error} />
      {saved.isSuccess && all.length === 0 && <p className="text-quiet">None are saved yet.</p>}
      <ul className="max-h-72 divide-y divide-line overflow-auto">
        {all.map((s) => (
          <li key={s.id} className="py-1.5">
            <p className="flex items-baseline justify-between gap-3">
              <LinkButton className="truncate font-medium" onClick={() => onOpen(s)}>
                {s.name}
              </LinkButton>
              <span className="shrink-0 text-xs text-quiet">
                {s.typeLabel}, {s.open ? 'open to all' : 'only mine'}, v{s.version}
              </span>
            </p>
            {s.note && <p className="text-quiet">{s.note}</p>}
            <p className="flex gap-3 text-xs text-quiet">
              {s.lastCount !== null && (
                <span>
                  {number(s.lastCount)} at {moment(s.countedAt!)}
                </span>
              )}
              {s.usedBy.length > 0 && <span>used by {s.usedBy.join(', ')}</span>}
              {s.type === type && <LinkButton onClick={() => onOnlyIn(s.name)}>Only those in it</LinkButton>}
              {s.mine && s.usedBy.length === 0 && <LinkButton onClick={() => drop.mutate(s.name)}>Delete</LinkButton>}
            </p>
          </li>
        ))}
      </ul>
    </section>
  );
}

function SaveForm({ selection }: { selection: SelectionBody }) {
  const [name, setName] = useState('');
  const [note, setNote] = useState('');
  const [open, setOpen] = useState(false);
  const save = useMutation({
    mutationFn: async (anyway: boolean) => {
      await api.saveSelection({ name, selection, note: note.trim() || null, open, anyway });
      return api.countSelection(name.trim());
    },
    onSuccess: () => queryClient.invalidateQueries(queries.selections()),
  });
  const alters = save.error instanceof AnswerError && save.error.code === 'would_alter';
  return (
    <form
      className="space-y-2 border-t border-line pt-3"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate(false);
      }}
    >
      <p className="font-medium">Save what is selected now</p>
      <input
        aria-label="Name"
        className={textInput}
        placeholder="Name"
        maxLength={100}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <input
        aria-label="Note"
        className={textInput}
        placeholder="What it is for (optional)"
        maxLength={2000}
        value={note}
        onChange={(e) => setNote(e.target.value)}
      />
      <label className="flex items-center gap-1.5">
        <input type="checkbox" className="accent-accent" checked={open} onChange={(e) => setOpen(e.target.checked)} />
        Open to all
      </label>
      <Problems error={save.error} />
      <div className="flex items-center gap-2">
        <Button type="submit" main disabled={name.trim() === ''} busy={save.isPending}>
          Save
        </Button>
        {alters && <Button onClick={() => save.mutate(true)}>Change it anyway</Button>}
        {save.isSuccess && (
          <span role="status" className="text-quiet">
            Saved “{save.data.name}”, version {save.data.version}.
          </span>
        )}
      </div>
    </form>
  );
}
