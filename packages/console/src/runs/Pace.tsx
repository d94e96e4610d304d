import type { ChangeRunBody, RunView } from '@tantamos/contract';
import { mostAtOnce, ownPace } from '@tantamos/core';
import { useMutation } from '@tanstack/react-query';
import { Gauge } from 'lucide-react';
import { useState } from 'react';
import { api, queryClient } from '../app/api';
import { Button } from '../components/Button';
import { NumberInSentence } from '../components/inputs';
import { Menu } from '../components/Menu';
import { Problems } from '../components/Problems';
import { queries } from '../queries';

/** How fast the run goes on, from the next batch on. */
export function Pace({ run }: { run: RunView }) {
  return (
    <Menu label="Pace" icon={<Gauge className="size-4" aria-hidden="true" />}>
      {(close) => <PaceForm run={run} onDone={close} />}
    </Menu>
  );
}

function PaceForm({ run: r, onDone }: { run: RunView; onDone: () => void }) {
  const [pace, setPace] = useState<number | null>(r.pace);
  const [atOnce, setAtOnce] = useState<number | null>(r.atOnce);
  const [perSecond, setPerSecond] = useState<number | null>(r.perSecond);
  const change = useMutation({
    mutationFn: (body: ChangeRunBody) => api.changeRun(r.id, body),
    onSuccess: (now) => {
      queryClient.setQueryData(queries.run(r.id).queryKey, now);
      onDone();
    },
  });
  return (
    <form
      className="space-y-1"
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate({ pace: pace || null, ...(atOnce ? { atOnce } : {}), perSecond: perSecond || null });
      }}
    >
      <NumberInSentence before="Work" after="% of the time" usual="auto" value={pace} most={100} onChange={setPace} />
      <NumberInSentence before="Batches at once" value={atOnce} most={mostAtOnce} onChange={setAtOnce} />
      <NumberInSentence before="At most" after="records a second" value={perSecond} onChange={setPerSecond} />
      <p className="pb-2 text-xs text-quiet">
        It holds from the next batch on. Without a share it works half the time, and {ownPace.besideOthers} % while
        others write.
      </p>
      <Problems error={change.error} />
      <Button main type="submit" busy={change.isPending} disabled={!atOnce}>
        Go on so
      </Button>
    </form>
  );
}
