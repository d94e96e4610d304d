import type { Pacing } from '../catalog/pacing';
import { fail } from '../problem';
import type { Hours } from './hours';
import { ownPace } from './pace';

/** How carefully a run goes about it. */
export interface Safety {
  /** Records in one batch, which is one transaction; null: as many as is usual for what is done (see `usualBatch`). */
  readonly batchSize: number | null;
  /** Batches that work at the same time. */
  readonly atOnce: number;
  /** Share of the time spent working, in percent; the rest is left to other users of the database. Null: see `ownPace`. */
  readonly pace: number | null;
  /** No more records a second than this, on the average; null: as many as the pace allows. */
  readonly perSecond: number | null;
  /** Stop and ask after this many; null: do not ask. */
  readonly askAfter: number | null;
  /** Which are the first: those that come first, or one of each different from → to. */
  readonly first: FirstWay;
  /** At most this many in one go; the rest of the same frozen set is another go. Null: all in one. */
  readonly perGo: number | null;
  /** Minutes between two goes; null: the next one begins when somebody says so. */
  readonly goEvery: number | null;
  /** Field names or paths of the first records, `-` before one for downwards; null: in the order of their keys. */
  readonly order: readonly string[] | null;
  /** When it may work; null: at any time. */
  readonly hours: Hours | null;
  /** Stop, changing nothing, if more than this many would change; null: no such limit. */
  readonly atMost: number | null;
  /** The same if fewer would. */
  readonly atLeast: number | null;
  /** The same if it were a larger share of all records of the type than this, in percent. */
  readonly atMostShare: number | null;
  /** Do not begin while another run is to change some of the same records. */
  readonly alone: boolean;
  /** What it stops at while it works. */
  readonly stopIf: StopIf;
}

export const firstWays = ['in_order', 'spread'] as const;
export type FirstWay = (typeof firstWays)[number];

/** While a run works it pauses when one of these is exceeded. */
export interface StopIf {
  /** Records refused or in use. */
  readonly failures?: number | null;
  /** Records that others changed after the preview. */
  readonly editedSince?: number | null;
  /** Minutes of work. */
  readonly minutes?: number | null;
  /** How many times slower a small write of somebody else is than before the run. */
  readonly slowdown?: number | null;
  /** Seconds that a replica is behind. */
  readonly lag?: number | null;
  /** Sessions that wait for locks which the run holds. */
  readonly waiting?: number | null;
}
export const limitNames = ['failures', 'editedSince', 'minutes', 'slowdown', 'lag', 'waiting'] as const;
export type LimitName = (typeof limitNames)[number];

export const defaultSafety: Safety = {
  batchSize: null,
  atOnce: 1,
  pace: null,
  perSecond: null,
  askAfter: null,
  first: 'in_order',
  perGo: null,
  goEvery: null,
  order: null,
  hours: null,
  atMost: null,
  atLeast: null,
  atMostShare: null,
  alone: false,
  stopIf: {},
};

export const mostAtOnce = 16;

/** A job's safety with everything that it does not say, for records of these types; throws where it says too much. */
export function safetyOf(
  said: Partial<Safety>,
  types: readonly { readonly label: string; readonly bounds: Pacing & { readonly largestBatch: number } }[],
): Safety {
  const least = (name: keyof Pacing): number | null => {
    const all = types.flatMap(({ bounds }) => bounds[name] ?? []);
    return all.length > 0 ? Math.min(...all) : null;
  };
  const within = (name: 'atOnce' | 'pace', of: 'mostAtOnce' | 'mostPace', words: string): void => {
    const over = types.find(({ bounds }) => bounds[of] !== null && (said[name] ?? 0) > bounds[of]);
    if (over)
      fail('over_limit', `Runs on ${over.label.toLowerCase()} may ${words} ${over.bounds[of]}.`, {
        where: `safety.${name}`,
      });
  };
  within('atOnce', 'mostAtOnce', 'have batches at once up to');
  within('pace', 'mostPace', 'work this share of the time at most, in percent:');
  const large = types.find(({ bounds }) => (said.batchSize ?? 0) > bounds.largestBatch);
  if (large)
    fail('over_limit', `Batches of ${large.label.toLowerCase()} may hold ${large.bounds.largestBatch} records.`, {
      where: 'safety.batchSize',
    });
  const upTo = (n: number, most: number | null): number => (most === null ? n : Math.min(n, most));
  return {
    ...defaultSafety,
    ...said,
    batchSize: said.batchSize ?? least('usualBatch'),
    atOnce: said.atOnce ?? upTo(least('usualAtOnce') ?? defaultSafety.atOnce, least('mostAtOnce')),
    pace: said.pace ?? usualPace(least('usualPace'), least('mostPace')),
  };
}

function usualPace(usual: number | null, most: number | null): number | null {
  if (most === null || (usual ?? ownPace.alone) <= most) return usual;
  return most;
}

/** What a run has come to that one of its limits speaks of. */
export type Standing = Readonly<Record<LimitName, number | null>>;

/** A limit that was exceeded: what it allows, and what was found. */
export interface Exceeded {
  readonly limit: LimitName;
  readonly allowed: number;
  readonly found: number;
}

/** The first limit that is exceeded; what is not known exceeds nothing. */
export function exceededOf(stopIf: StopIf, standing: Standing): Exceeded | null {
  for (const limit of limitNames) {
    const allowed = stopIf[limit] ?? null;
    const found = standing[limit];
    if (allowed !== null && found !== null && found > allowed) return { limit, allowed, found };
  }
  return null;
}

export function exceededWords({ limit, allowed, found }: Exceeded): string {
  const n = (x: number): string => x.toLocaleString('en-US', { maximumFractionDigits: 1 });
  switch (limit) {
    case 'failures':
      return `${n(found)} could not be changed, more than the ${n(allowed)} you allowed`;
    case 'editedSince':
      return `${n(found)} had been changed by others since the preview, more than the ${n(allowed)} you allowed`;
    case 'minutes':
      return `it worked for ${n(found)} minutes, more than the ${n(allowed)} you allowed`;
    case 'slowdown':
      return `a small write beside it took ${n(found)} times as long as before the run, more than the ${n(allowed)} times you allowed`;
    case 'lag':
      return `a replica is ${n(found)} seconds behind, more than the ${n(allowed)} you allowed`;
    case 'waiting':
      return `${n(found)} other sessions wait for what it has locked, more than the ${n(allowed)} you allowed`;
  }
}
