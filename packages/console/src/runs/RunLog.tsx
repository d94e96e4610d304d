import type { RunView } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { LinkButton } from '../components/Button';
import { moment } from '../components/format';
import { queries } from '../queries';

/** What happened to the run, in order; folded while there is little. */
export function RunLog({ run: r }: { run: RunView }) {
  const [open, setOpen] = useState(false);
  const log = useQuery({
    ...queries.runLog(r.id, `${r.state} ${r.stateAt} ${r.pace} ${r.atOnce} ${r.perSecond}`),
    enabled: open,
  });
  return (
    <section className="space-y-1.5">
      <h2 className="text-xs font-semibold tracking-wide text-quiet uppercase">Events</h2>
      <LinkButton aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? 'Fold' : 'What happened, in order'}
      </LinkButton>
      {open && (
        <ol className="space-y-1">
          {(log.data ?? []).map((e, i) => (
            <li key={i} className="grid grid-cols-[auto_1fr] gap-x-3">
              <time dateTime={e.at} className="text-quiet tabular-nums">
                {moment(e.at, { seconds: true })}
              </time>
              <span>
                {e.words}
                {e.by && <span className="text-quiet">, {e.by}</span>}
              </span>
            </li>
          ))}
        </ol>
      )}
    </section>
  );
}
