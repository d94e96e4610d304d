import { setTimeout as sleep } from 'node:timers/promises';
import { Client } from '@tantamos/client';
import type { Service } from './service';

/** Filters of about 88 kB of the demo's bookings, each of another kind; some have more operations than a filter may. */
const large: Readonly<Record<string, (i: number) => string>> = {
  comparisons: (i) => `id = ${100_000 + i}`,
  paths: (i) => `grower.owner.lead.name = 'abc${i}'`,
  calculations: (i) => `(hives + ${i}) * 2 / (hives + 1) > ${i}`,
  functions: (i) => `UPPER(TRIM(CONCATENATE(note, reference, '${i}'))) = 'A'`,
  names: (i) => `owner = 'Ines Calloway ${i}'`,
  children: (i) => `count(remarks, id > ${i}) > 1`,
};
const bytes = 88_000;
const atOnce = 10;

/** How long others waited, in ms, while one person had ten such searches under way. */
export interface FairFigure {
  readonly filter: string;
  readonly health: Waits;
  readonly search: Waits;
}
interface Waits {
  readonly n: number;
  readonly median: number;
  readonly worst: number;
}

/** For each kind of filter: ten searches by one reader, and what an editor's simple search and /api/health take meanwhile. */
export async function fairFigures({ base, client }: Service): Promise<readonly FairFigure[]> {
  const tokenOf = async (login: string): Promise<string> => {
    const password = 'long enough for this';
    await client.addAccount({ login, name: login, role: 'editor', password });
    return (await new Client({ base }).signIn({ login, password, kind: 'token' })).token!;
  };
  const [greedy, other] = await Promise.all(['greedy', 'another'].map(tokenOf));
  const figures: FairFigure[] = [];
  for (const [filter, one] of Object.entries(large)) {
    const parts: string[] = [];
    for (let size = 0; size < bytes; size += parts.at(-1)!.length + 4) parts.push(one(parts.length));
    const body = JSON.stringify({ filter: parts.join(' OR '), limit: 1 });
    const headers = { 'Content-Type': 'application/json', Authorization: `Bearer ${greedy!}` };
    const search = (): Promise<void> =>
      fetch(`${base}/api/types/bookings/search`, { method: 'POST', headers, body }).then((answer) => discard(answer));
    // The thread that answers them is up.
    await search();
    let isOver = false;
    const probe = async (path: string, token?: string): Promise<Waits> => {
      const taken: number[] = [];
      while (!isOver) {
        const from = performance.now();
        await discard(await fetch(base + path, token ? { headers: { Authorization: `Bearer ${token}` } } : {}));
        taken.push(performance.now() - from);
        await sleep(20);
      }
      taken.sort((a, b) => a - b);
      return { n: taken.length, median: taken[taken.length >> 1]!, worst: taken.at(-1)! };
    };
    const probes = Promise.all([probe('/api/health'), probe('/api/types/bookings/records?limit=5', other)]);
    await Promise.all(Array.from({ length: atOnce }, search));
    isOver = true;
    const [health, waited] = await probes;
    figures.push({ filter, health, search: waited });
  }
  return figures;
}

async function discard(answer: Response): Promise<void> {
  await answer.text();
}
