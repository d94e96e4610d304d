import type { RunView, UndoBody } from '@tantamos/contract';
import { doneWords, isOver } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../app/api';
import { Button } from '../components/Button';
import { counted, number } from '../components/format';
import { textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { queries } from '../queries';

interface Props {
  run: RunView;
  /** Keys of those picked in the list. */
  picked: readonly string[];
  onClose: () => void;
}

type Which = 'all' | 'picked' | 'type' | 'filter';

/** What of a run is to be put back: a preview comes first. */
export default function UndoSheet({ run: r, picked, onClose }: Props) {
  const navigate = useNavigate();
  const [which, setWhich] = useState<Which>(picked.length > 0 ? 'picked' : 'all');
  const [filter, setFilter] = useState('');
  const [type, setType] = useState(r.type);
  const [overwrite, setOverwrite] = useState(false);
  const [leaveEdited, setLeaveEdited] = useState(false);
  const changed = useQuery(queries.changedFields(r.id)).data ?? [];
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const fields = changed.filter((f) => !left.has(f.field)).map((f) => f.field);
  const make = useMutation({
    mutationFn: (body: UndoBody) => api.undoRun(r.id, body),
    onSuccess: (p) => navigate(`/previews/${p.id}`),
  });
  const ways: { way: Which; words: string }[] = [
    { way: 'all', words: `All: ${doneWords(r.parts, number)}` },
    ...(picked.length > 0
      ? [{ way: 'picked' as const, words: `Only the ${counted(picked.length, 'record')} picked` }]
      : []),
    ...(r.types.length > 1 ? [{ way: 'type' as const, words: 'Only what it did to' }] : []),
    { way: 'filter', words: 'Only those where' },
  ];
  const asksType = r.types.length > 1 && (which === 'type' || which === 'filter');
  return (
    <Sheet
      open
      onClose={onClose}
      title="Undo"
      about="A preview shows first what would go back, and from what."
      width="w-140"
    >
      <form
        className="flex min-h-0 flex-1 flex-col"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate({
            ...(which === 'picked' ? { keys: [...picked] } : {}),
            ...(which === 'filter' ? { filter } : {}),
            ...(asksType ? { type } : {}),
            ...(fields.length < changed.length ? { fields } : {}),
            ...(overwrite ? { overwrite } : {}),
            ...(leaveEdited ? { leaveEdited } : {}),
          });
        }}
      >
        <div className="min-h-0 flex-1 space-y-4 overflow-auto p-4">
          <fieldset className="space-y-1.5">
            <legend className="pb-1 font-medium">Which records</legend>
            {ways.map(({ way, words }) => (
              <label key={way} className="flex items-center gap-2">
                <input
                  type="radio"
                  name="which"
                  className="accent-accent"
                  checked={which === way}
                  onChange={() => setWhich(way)}
                />
                {words}
              </label>
            ))}
            {asksType && (
              <select
                aria-label="Of which records"
                className={`${textInput} w-auto!`}
                value={type}
                onChange={(e) => setType(e.target.value)}
              >
                {r.types.map((t) => (
                  <option key={t.id} value={t.id}>
                    {t.label}
                  </option>
                ))}
              </select>
            )}
            {which === 'all' && !isOver(r.state) && (
              <p className="text-pending">It is not over yet: taking all of it back stops it for good.</p>
            )}
            {which === 'filter' && (
              <input
                aria-label="Only those where"
                className={`${textInput} font-mono`}
                placeholder="valley = 'north'"
                value={filter}
                autoFocus
                onChange={(e) => setFilter(e.target.value)}
              />
            )}
          </fieldset>
          {changed.length > 1 && (
            <fieldset className="space-y-1.5">
              <legend className="pb-1 font-medium">Which fields</legend>
              {changed.map((f) => (
                <label key={f.field} className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    className="accent-accent"
                    checked={!left.has(f.field)}
                    onChange={(e) =>
                      setLeft(
                        (now) => new Set(e.target.checked ? [...now].filter((x) => x !== f.field) : [...now, f.field]),
                      )
                    }
                  />
                  {f.label}
                </label>
              ))}
            </fieldset>
          )}
          <fieldset>
            <legend className="pb-1 font-medium">Changes that others made since</legend>
            <label className="flex items-start gap-2">
              <input
                type="checkbox"
                className="mt-1 accent-accent"
                checked={overwrite}
                onChange={(e) => setOverwrite(e.target.checked)}
              />
              <span>
                Undo them too
                <span className="block text-quiet">
                  {overwrite
                    ? 'Their changes are lost; the journal of the undo keeps them.'
                    : 'Their records stay as they are; the preview lists them.'}
                </span>
              </span>
            </label>
            {r.along.length > 0 && (
              <label className="flex items-start gap-2">
                <input
                  type="checkbox"
                  className="mt-1 accent-accent"
                  checked={leaveEdited}
                  onChange={(e) => setLeaveEdited(e.target.checked)}
                />
                <span>
                  Leave edited related records
                  <span className="block text-quiet">
                    {leaveEdited
                      ? 'They stay as they are; the records they belong to are undone all the same.'
                      : 'Where one was edited since, the record it belongs to is not undone.'}
                  </span>
                </span>
              </label>
            )}
          </fieldset>
          <Problems error={make.error} />
        </div>
        <div className="flex justify-end gap-2 border-t border-line px-4 py-2.5">
          <Button onClick={onClose}>Cancel</Button>
          <Button
            main
            type="submit"
            busy={make.isPending}
            disabled={(which === 'filter' && !filter.trim()) || (changed.length > 0 && fields.length === 0)}
          >
            Preview the undo
          </Button>
        </div>
      </form>
    </Sheet>
  );
}
