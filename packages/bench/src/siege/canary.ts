import { setTimeout as sleep } from 'node:timers/promises';
import type { Asker } from './asker';

export const steps = ['sign in', 'find', 'preview'] as const;
export type Step = (typeof steps)[number];

/** How long each answer of an ordinary person's work took, in ms. */
export type Times = Record<Step, number[]>;

/**
 * Works as an ordinary person does while the siege goes on: signs in from a browser that has been signed in from, finds
 * records, has a small job worked out until it is ready; again and again until told to stop.
 */
export async function canary(asker: Asker, password: string, isOver: () => boolean): Promise<Times> {
  const times: Times = { 'sign in': [], find: [], preview: [] };
  const timed = async (step: Step, work: () => Promise<void>): Promise<void> => {
    const from = performance.now();
    await work();
    times[step].push(performance.now() - from);
  };
  while (!isOver()) {
    await timed('sign in', () => asker.enter('sorrel', password));
    for (let i = 0; i < 3; i++)
      await timed('find', async () => {
        await asker.ask('/api/types/bookings/search', {
          filter: "status = 'draft' AND valley = 'north'",
          limit: 50,
          count: 'exact',
        });
      });
    await timed('preview', async () => {
      let preview = await asker.ask<{ id: string; state: string }>('/api/previews', {
        selection: { type: 'bookings', filter: "status = 'draft' AND valley = 'north'" },
        edits: [{ kind: 'fill', field: 'region', value: 'Northern Hills' }],
        why: 'siege',
      });
      while (preview.state === 'working') {
        await sleep(20);
        preview = await asker.ask(`/api/previews/${preview.id}`);
      }
      if (preview.state !== 'ready') throw new Error(`The canary’s preview is ${preview.state}.`);
    });
    await sleep(50);
  }
  return times;
}

/** The slowest, and that which all but one of a hundred are quicker than. */
export function slowest(times: readonly number[]): { n: number; half: number; p99: number; worst: number } {
  const sorted = [...times].sort((a, b) => a - b);
  const at = (part: number): number => sorted[Math.min(sorted.length - 1, Math.floor(part * sorted.length))] ?? 0;
  return { n: sorted.length, half: at(0.5), p99: at(0.99), worst: sorted.at(-1) ?? 0 };
}
