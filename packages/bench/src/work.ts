import type { PreviewView, RunView } from '@tantamos/contract';
import type { Service } from './service';

export async function settled({ client }: Service, preview: PreviewView): Promise<PreviewView> {
  let p = preview;
  if (p.state === 'working') for await (const next of client.previewEvents(p.id)) p = next;
  if (p.state !== 'ready') throw new Error(p.trouble ?? p.state);
  return p;
}

/** From the start to the end as the service dates them, so that the rhythm of watching does not count. */
export async function runOf({ client }: Service, preview: PreviewView): Promise<{ run: RunView; seconds: number }> {
  const started = await client.startRun({ preview: preview.id, askAfter: null, expect: preview.totals.will_change });
  for await (const run of client.runEvents(started.id))
    if (run.state === 'finished')
      return { run, seconds: (Date.parse(run.endedAt!) - Date.parse(run.startedAt)) / 1000 };
  throw new Error('The run did not finish.');
}
