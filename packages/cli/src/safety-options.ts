import type { Client } from '@tantamos/client';
import type { SafetyBody } from '@tantamos/contract';
import { dayNames, limitNames, type FirstWay, type Hours, type LimitName } from '@tantamos/core';
import type { Command } from 'commander';
import { commas, oneOf, wholeNumber } from './options';
import { UsageError } from './trouble';

export interface SafetyOptions {
  readonly batchSize?: number;
  readonly atOnce?: number;
  readonly pace?: number;
  readonly perSecond?: number;
  readonly askAfter?: number;
  readonly askFirst?: FirstWay;
  readonly perGo?: number;
  readonly goEvery?: number;
  readonly order?: string;
  readonly hours?: string;
  readonly atMost?: number;
  readonly atLeast?: number;
  readonly atMostShare?: number;
  readonly alone?: true;
  readonly stopIf?: Readonly<Partial<Record<LimitName, number>>>;
}

/** How each limit is called on the command line. */
const limitWords: Readonly<Record<string, LimitName>> = Object.fromEntries(
  limitNames.map((name) => [name.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`), name]),
);

/** The options that say after which records it asks. */
export function withAskOptions(command: Command): Command {
  return command
    .option('--ask-after <n>', 'stop and ask after the first N', wholeNumber('--ask-after'))
    .option(
      '--ask-first <which>',
      'which are the first: in_order, or spread: one of each different old → new',
      oneOf('--ask-first', 'in_order', 'spread'),
    );
}

/** The options that say how carefully a run goes about it. */
export function withSafetyOptions(command: Command): Command {
  return withAskOptions(command)
    .option('--batch-size <n>', 'records in one batch, which is one transaction', wholeNumber('--batch-size'))
    .option('--at-once <n>', 'batches that work at the same time', wholeNumber('--at-once'))
    .option('--pace <percent>', 'share of the time spent working; the rest is left to others', wholeNumber('--pace'))
    .option('--per-second <n>', 'no more records a second than this', wholeNumber('--per-second'))
    .option('--per-go <n>', 'at most N in one go; the next go begins when you continue', wholeNumber('--per-go'))
    .option('--go-every <minutes>', 'the next go begins by itself after so many minutes', wholeNumber('--go-every'))
    .option('--order <columns>', 'which are changed first: start_on,-hives; - before one for downwards')
    .option(
      '--hours <when>',
      'work only then: "20:00-06:00", "20:00-06:00 mon-sat", "20:00-06:00 mon-sat Europe/Lisbon"',
    )
    .option('--at-most <n>', 'change nothing if more than N would change', wholeNumber('--at-most'))
    .option('--at-least <n>', 'change nothing if fewer than N would change', wholeNumber('--at-least'))
    .option(
      '--at-most-share <percent>',
      'change nothing if more of the whole type would change',
      numberFrom('--at-most-share'),
    )
    .option('--alone', 'do not begin while another run is on these records')
    .option(
      '--stop-if <limit=n>',
      `pause when more than that: ${Object.keys(limitWords).join(', ')} (minutes of work, times slower, seconds of a replica, sessions waiting)`,
      limitOf,
    );
}

function limitOf(text: string, before: SafetyOptions['stopIf'] = {}): SafetyOptions['stopIf'] {
  const [, name = '', n = ''] = /^([a-z-]+)=(\d+(?:\.\d+)?)$/.exec(text.trim()) ?? [];
  const limit = limitWords[name];
  if (!limit)
    throw new UsageError(
      `--stop-if takes one of ${Object.keys(limitWords).join(', ')} and a number, such as failures=10; not “${text}”.`,
    );
  return { ...before, [limit]: Number(n) };
}

function numberFrom(option: string) {
  return (text: string): number => {
    if (!/^\d{1,9}(\.\d+)?$/.test(text)) throw new UsageError(`${option} takes a number, not “${text}”.`);
    return Number(text);
  };
}

/** What the options say of safety, and no more. */
export async function safetySaid(api: Client, options: SafetyOptions): Promise<SafetyBody> {
  const {
    batchSize,
    atOnce,
    pace,
    perSecond,
    askAfter,
    askFirst,
    perGo,
    goEvery,
    atMost,
    atLeast,
    atMostShare,
    alone,
    stopIf,
    hours,
    order,
  } = options;
  const said = {
    ...{
      batchSize,
      atOnce,
      pace,
      perSecond,
      askAfter,
      first: askFirst,
      perGo,
      goEvery,
      atMost,
      atLeast,
      atMostShare,
      alone,
      stopIf,
    },
    order: order === undefined ? undefined : commas(order),
    hours: hours === undefined ? undefined : await hoursSaid(api, hours),
  };
  return Object.fromEntries(Object.entries(said).filter(([, v]) => v !== undefined));
}

const timeRange = /^(\d{1,2}:\d{2})\s*-\s*(\d{1,2}:\d{2})$/;

/** “20:00-06:00 mon-sat Europe/Lisbon”; by the workspace's clock where no zone is said. */
async function hoursSaid(api: Client, text: string): Promise<Hours> {
  const [times = '', ...rest] = text.trim().split(/\s+/);
  const [, from, to] = timeRange.exec(times) ?? [];
  if (!from || !to) throw new UsageError(`--hours begins with times such as 20:00-06:00; not “${text}”.`);
  const days = rest[0] !== undefined && daysSaid(rest[0]);
  const [zone, ...more] = days ? rest.slice(1) : rest;
  if (more.length > 0)
    throw new UsageError(`--hours takes times, days and a time zone; “${more.join(' ')}” is none of them.`);
  const padded = (time: string): string => time.padStart(5, '0');
  return {
    zone: zone ?? (await api.me()).workspace.timeZone,
    from: padded(from),
    to: padded(to),
    ...(days ? { days } : {}),
  };
}

/** “mon-fri”, “mon,wed”; undefined where these are no days. */
function daysSaid(text: string): number[] | undefined {
  const at = (name: string): number =>
    name.length >= 3 ? dayNames.findIndex((day) => day.startsWith(name.toLowerCase())) + 1 : 0;
  const days = text.split(',').flatMap((piece) => {
    const [first = 0, last = first] = piece.split('-').map(at);
    if (first === 0 || last === 0) return [0];
    return Array.from({ length: ((last - first + 7) % 7) + 1 }, (_, i) => ((first - 1 + i) % 7) + 1);
  });
  return days.includes(0) ? undefined : [...new Set(days)].sort((a, b) => a - b);
}
