import type { RunBatchView, RunView } from '@tantamos/contract';
import { isOver } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { LinkButton } from '../components/Button';
import { counted, number } from '../components/format';
import { queries } from '../queries';

/** More tiles than this are grouped. */
const mostTiles = 200;

/** The batches as a strip of tiles; folded once the run is over. */
export function Batches({ run: r }: { run: RunView }) {
  const [open, setOpen] = useState<boolean | null>(null);
  const shown = open ?? !isOver(r.state);
  const batches = useQuery({
    ...queries.runBatches(r.id, `${r.batchesDone} ${r.state}`),
    enabled: shown,
  });
  const size = Math.ceil((batches.data?.length ?? 0) / mostTiles) || 1;
  return (
    <section className="space-y-2">
      <h2 className="text-xs font-semibold tracking-wide text-quiet uppercase">Batches</h2>
      <p>
        {number(r.batchesDone)} of {number(r.batches)} done, up to {number(r.batchSize)} records each
        {r.atOnce > 1 ? `, ${r.atOnce} at once` : ''}.{' '}
        <LinkButton aria-expanded={shown} onClick={() => setOpen(!shown)}>
          {shown ? 'Fold' : 'Show'}
        </LinkButton>
      </p>
      {shown && batches.data && (
        <ol className="flex flex-wrap gap-1" aria-label="Batches">
          {groups(batches.data, size).map((group) => (
            <Tile key={group[0]!.position} group={group} />
          ))}
        </ol>
      )}
    </section>
  );
}

function Tile({ group }: { group: readonly RunBatchView[] }) {
  const done = group.every((b) => b.state === 'done');
  const problems = group.reduce((sum, b) => sum + b.problems, 0);
  const some = group.some((b) => b.state !== 'ready');
  const look =
    problems > 0 ? 'bg-pending-mark' : done ? 'bg-accent' : some ? 'bg-accent-soft border-accent' : 'bg-sheet';
  const first = group[0]!;
  const words = `Batch ${first.position + 1}${group.length > 1 ? ` to ${group.at(-1)!.position + 1}` : ''}: ${done ? 'done' : some ? 'locked records to try again' : 'not yet'}, ${counted(
    group.reduce((s, b) => s + b.size, 0),
    'record',
  )}${problems > 0 ? `, ${problems} to look at` : ''}`;
  return (
    <li
      title={words}
      className={`grid size-4 place-items-center rounded-xs border border-line-strong text-[10px] leading-none ${look}`}
    >
      <span className="sr-only">{words}</span>
      {problems > 0 && <span aria-hidden="true">!</span>}
    </li>
  );
}

function groups<T>(items: readonly T[], size: number): T[][] {
  return Array.from({ length: Math.ceil(items.length / size) }, (_, i) => items.slice(i * size, (i + 1) * size));
}
