import { setTimeout as sleep } from 'node:timers/promises';
import { AnswerError, type Client } from '@tantamos/client';
import type { PreviewView, RecheckView, RunView } from '@tantamos/contract';
import { equation, isMoving, isOver, troubles } from '@tantamos/core';
import { SingleBar } from 'cli-progress';
import { exitCodes } from './exit';
import { shortId } from '@tantamos/core';
import { number, printJson, readFormat, talk } from './output';
import { showRun } from './show';

/** How a run is followed: what comes of it in which format, and whether its progress is shown. */
export interface FollowOptions {
  readonly format?: string;
  readonly quiet?: boolean;
}

/**
 * Follows a run until it is over, waits for a person or is paused; a bar on a terminal, a line every few seconds in a pipe.
 * Ctrl-C ends only the watching. Returns the exit code.
 */
export async function followRun(api: Client, id: string, o: FollowOptions = {}): Promise<number> {
  const away = new AbortController();
  const leave = (): void => away.abort();
  process.once('SIGINT', leave);
  const teller = o.quiet ? noTeller : process.stderr.isTTY ? barTeller() : lineTeller();
  let run = await api.run(id);
  try {
    for await (const now of resumed(() => api.runEvents(id, away.signal))) {
      run = now;
      teller.tell(run);
      if (rests(run)) break;
    }
  } catch (error) {
    if (!away.signal.aborted) throw error;
  } finally {
    process.removeListener('SIGINT', leave);
    teller.end();
  }
  if (away.signal.aborted) {
    talk(`\nThe run continues. Watch it again: tantamos watch ${shortId(id)}`);
    return exitCodes.watchEnded;
  }
  giveRun(run, o);
  return codeOf(run);
}

/** A run on stdout, in the format that was asked for. */
export function giveRun(run: RunView, { format = 'table', quiet }: FollowOptions): void {
  const asked = readFormat(format);
  if (asked !== 'table') printJson(asked, run);
  else if (!quiet) showRun(run);
}

/** Waits until a preview is worked out. */
export async function followPreview(api: Client, preview: PreviewView, quiet = false): Promise<PreviewView> {
  let now = preview;
  while (now.state === 'working')
    for await (const next of resumed(() => api.previewEvents(preview.id))) {
      now = next;
      if (now.progress && now.progress.of > 1 && !quiet)
        talk(`calculating: ${now.progress.done} of ${now.progress.of}`);
    }
  return now;
}

/** Counts anew what became of the records of a run, until all are counted. */
export async function followRecheck(api: Client, run: string): Promise<RecheckView> {
  let now: RecheckView | undefined;
  async function* counted(): AsyncGenerator<RecheckView> {
    do yield (now = await api.recheckRun(run, now ? { on: now.id } : {}));
    while (now.at === null);
  }
  for await (const next of resumed(counted))
    if (next.at === null) talk(`counting anew: ${number(next.counted)} of ${number(next.changed)}`);
  return now!;
}

/** How often a service that has broken off is asked again, and how long is waited before, in ms. */
const mostTries = 30;
const waitAfterBreak = 1000;

/** What is told as it comes, asked for anew where the service broke off: it may have been started again, and goes on by itself. */
async function* resumed<T>(watch: () => AsyncIterable<T>): AsyncGenerator<T> {
  for (let tries = 0; ;) {
    try {
      for await (const told of watch()) {
        tries = 0;
        yield told;
      }
      return;
    } catch (error) {
      if (!(error instanceof AnswerError) || error.code !== 'unavailable' || ++tries > mostTries) throw error;
      if (tries === 1) talk('The service does not answer; it is asked again …');
      await sleep(waitAfterBreak);
    }
  }
}

export function codeOf(run: RunView): number {
  if (run.exceeded) return exitCodes.stoppedByLimit;
  if (!isOver(run.state)) return exitCodes.waiting;
  const isTroubled = troubles.some((o) => run.totals[o] > 0);
  return isTroubled || run.state === 'stopped' ? exitCodes.problems : exitCodes.done;
}

function rests(run: RunView): boolean {
  return !isMoving(run.state);
}

interface Teller {
  tell(run: RunView): void;
  end(): void;
}

function barTeller(): Teller {
  const bar = new SingleBar({
    format: '{bar} {value}/{total} · {batches} · {state}',
    barCompleteChar: '█',
    barIncompleteChar: '░',
    hideCursor: true,
    stream: process.stderr,
    linewrap: false,
  });
  let begun = false;
  return {
    tell(run) {
      const done = run.totals.matched - run.totals.not_yet;
      const payload = {
        batches: `${number(run.batchesDone)}/${number(run.batches)} batches`,
        state: run.reason ?? run.state,
      };
      if (!begun) bar.start(run.totals.matched, done, payload);
      else bar.update(done, payload);
      begun = true;
    },
    end: () => bar.stop(),
  };
}

/** In a pipe a line is written when the state changes, and this often while the counts do; in ms. */
const betweenLines = 5000;

export function lineTeller(now: () => number = Date.now, write: (line: string) => void = talk): Teller {
  let last = '';
  let lastState = '';
  let at = -Infinity;
  return {
    tell(run) {
      const line = `${run.state}: ${equation(run.totals, run.parts)}${run.reason && run.state === 'running' ? ` — ${run.reason}` : ''}${run.givesWay ? ' — others are at work, it gives way' : ''}`;
      const isNews = run.state !== lastState || (line !== last && now() - at >= betweenLines);
      if (!isNews) return;
      write(line);
      [last, lastState, at] = [line, run.state, now()];
    },
    end: () => {},
  };
}

const noTeller: Teller = { tell: () => {}, end: () => {} };
