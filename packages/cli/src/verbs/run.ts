import { randomUUID } from 'node:crypto';
import type { Client } from '@tantamos/client';
import type { Command } from 'commander';
import type { PreviewView, RunView } from '@tantamos/contract';
import { ask, hasTerminal } from '../ask';
import { exitCodes } from '../exit';
import { shortId, startWords, willWords, type FirstWay } from '@tantamos/core';
import { findPreview, findRun } from '../ids';
import { keysOf } from '../selection-options';

import { moment, print, readFormat, talk } from '../output';
import { remember } from '../recent';
import { followRun, giveRun, type FollowOptions } from '../progress';
import { client } from '../session';
import { withAskOptions } from '../safety-options';
import { showPreview } from '../show';
import { UsageError } from '../trouble';
import { finish } from './preview';
import { acting, type Verb } from './verb';
import { commas, oneOf, wholeNumber } from '../options';

/** How the progress and the end of a run are given, and whether its progress is shown. */
export function withFollowing(command: Command): Command {
  return command
    .option('--format <format>', 'table, json or jsonl', oneOf('--format', 'table', 'json', 'jsonl'), 'table')
    .option('--quiet', 'show no progress, and no table at the end');
}

export interface RunOptions extends FollowOptions {
  readonly expect?: number;
  readonly askAfter?: number;
  readonly askFirst?: FirstWay;
  readonly askKeys?: string;
  readonly ask: boolean;
  readonly detach?: true;
}

interface UndoOptions extends FollowOptions {
  readonly why?: string;
  readonly type?: string;
  readonly keys?: string;
  readonly filter?: string;
  readonly fields?: string;
  readonly overwrite?: true;
  readonly leaveEdited?: true;
  readonly expect?: number;
}

export const run: Verb = (program) => {
  const start = withAskOptions(
    program
      .command('run')
      .argument('<preview>', 'its id, or “last”')
      .description('start the run of a preview, and watch it')
      .option('--expect <n>', 'how many will change; needed where nobody can be asked', wholeNumber('--expect')),
  )
    .option('--ask-keys <list>', 'stop and ask after just these: a,b')
    .option('--no-ask', 'do all of it, whatever the job says')
    .option('--detach', 'start it and do not watch');
  withFollowing(start).action(
    acting(async (said: string, o: RunOptions) => {
      const api = client();
      // Whatever becomes of it, “last” is never an older run.
      remember('run', null);
      return startRun(api, await findPreview(api, said), o);
    }),
  );

  withFollowing(
    program
      .command('undo')
      .argument('<run>', 'its id, or “last”')
      .description('put back what a run changed: a preview first, then a run like any other')
      .option('--why <text>', 'the reason')
      .option('--type <type>', 'only what it did to these, of a run of several types; --keys and --filter are of them')
      .option('--keys <list>', 'only these records: a,b')
      .option('-f, --filter <text>', 'only records that this finds')
      .option('--fields <list>', 'only these fields: a,b')
      .option('--overwrite', 'also undo what others have changed since')
      .option('--leave-edited', 'leave related records that others have edited since, and undo the rest')
      .option('--expect <n>', 'start it at once if just so many go back', wholeNumber('--expect')),
  ).action(
    acting(async (said: string, o: UndoOptions) => {
      const api = client();
      const source = await findRun(api, said);
      remember('preview', null);
      if (o.expect !== undefined) remember('run', null);
      const body = {
        why: o.why,
        ...(o.type === undefined ? {} : { type: o.type }),
        ...(o.keys === undefined ? {} : { keys: keysOf(o.keys) }),
        ...(o.filter === undefined ? {} : { filter: o.filter }),
        ...(o.fields === undefined ? {} : { fields: commas(o.fields) }),
        ...(o.overwrite ? { overwrite: true } : {}),
        ...(o.leaveEdited ? { leaveEdited: true } : {}),
      };
      const made = await api.undoRun(source.id, body, { once: randomUUID() });
      // Of a preview that is started at once only the run is given to programs.
      const isShown = o.expect === undefined || (o.format ?? 'table') === 'table';
      const code = await finish(api, made, o.format ?? 'table', { quiet: o.quiet || !isShown });
      if (code !== exitCodes.done || o.expect === undefined) return code;
      return startRun(api, await api.preview(made.id), { ...o, expect: o.expect, ask: true });
    }),
  );

  withFollowing(
    program
      .command('retry')
      .argument('<run>', 'its id, or “last”')
      .description('preview the same edits for the records a run left: edited since, refused, in use, not yet'),
  ).action(
    acting(async (said: string, o: FollowOptions) => {
      const api = client();
      const source = await findRun(api, said);
      remember('preview', null);
      return finish(api, await api.retryRun(source.id, {}, { once: randomUUID() }), o.format ?? 'table', o);
    }),
  );

  withFollowing(
    program
      .command('pace')
      .argument('<run>', 'its id, or “last”')
      .description('change how fast a run goes, while it goes on')
      .option('--at-once <n>', 'batches that work at the same time', wholeNumber('--at-once'))
      .option('--pace <percent>', 'share of the time spent working; 0: less while others write', wholeNumber('--pace'))
      .option(
        '--per-second <n>',
        'no more records a second than this; 0: as many as there is time for',
        wholeNumber('--per-second'),
      ),
  ).action(
    acting(
      async (
        said: string,
        {
          perSecond,
          pace,
          format,
          quiet,
          ...to
        }: FollowOptions & { atOnce?: number; pace?: number; perSecond?: number },
      ) => {
        if (perSecond === undefined && pace === undefined && Object.keys(to).length === 0)
          throw new UsageError('Say what is to change: --at-once, --pace or --per-second.');
        const api = client();
        const body = {
          ...to,
          ...(pace === undefined ? {} : { pace: pace === 0 ? null : pace }),
          ...(perSecond === undefined ? {} : { perSecond: perSecond === 0 ? null : perSecond }),
        };
        giveRun(await api.changeRun((await findRun(api, said)).id, body), { format, quiet });
      },
    ),
  );

  program
    .command('log')
    .argument('<run>', 'its id, or “last”')
    .description('what happened to a run, in order')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (said: string, o: { format: string }) => {
        const api = client();
        const log = await api.runLog((await findRun(api, said)).id);
        const rows = log.map((e) => [moment(e.at), e.words, e.by]);
        print({ columns: ['at', 'what', 'by'], whole: ['what'], rows }, readFormat(o.format), log);
      }),
    );

  withFollowing(
    program
      .command('watch')
      .argument('<run>', 'its id, or “last”')
      .description('watch a run until it is over or waits'),
  ).action(
    acting(async (said: string, o: FollowOptions) => {
      const api = client();
      return followRun(api, (await findRun(api, said)).id, o);
    }),
  );

  const steering = {
    pause: 'pause a run after the batches under way',
    stop: 'stop a run for good after the batches under way',
  } as const;
  for (const [verb, description] of Object.entries(steering))
    withFollowing(program.command(verb).argument('<run>', 'its id, or “last”').description(description)).action(
      acting(async (said: string, o: FollowOptions) => {
        const api = client();
        giveRun(await api[`${verb as keyof typeof steering}Run`]((await findRun(api, said)).id), o);
      }),
    );

  withFollowing(
    program
      .command('continue')
      .argument('<run>', 'its id, or “last”')
      .description('go on with a run that waits or is paused, and watch it')
      .option('--detach', 'do not watch'),
  ).action(
    acting(async (said: string, o: FollowOptions & { detach?: true }) => {
      const api = client();
      const found = await findRun(api, said);
      return started(api, await api.continueRun(found.id), o);
    }),
  );
};

export async function startRun(api: Client, p: PreviewView, o: RunOptions): Promise<number> {
  remember('run', null);
  const me = await api.me();
  if (p.madeBy !== me.name) talk(`This preview was made by ${p.madeBy}; the run keeps both your names.`);
  const expect = o.expect ?? (await confirmed(p));
  if (expect === null) {
    talk('Nothing was started.');
    return exitCodes.nothingToDo;
  }
  const askAfter = o.ask ? o.askAfter : null;
  const body = {
    preview: p.id,
    expect,
    ...(askAfter === undefined ? {} : { askAfter }),
    ...(o.ask ? { first: o.askFirst } : { first: 'in_order' as const }),
    ...(o.ask && o.askKeys !== undefined ? { firstKeys: commas(o.askKeys) } : {}),
  };
  return started(api, await api.startRun(body, { once: randomUUID() }), o);
}

async function started(api: Client, now: RunView, o: FollowOptions & { readonly detach?: true }): Promise<number> {
  remember('run', now.id);
  if (!o.quiet) talk(`run ${shortId(now.id)}`);
  if (!o.detach) return followRun(api, now.id, o);
  giveRun(now, o);
  return exitCodes.done;
}

/** Asks the person; the number itself where much is at stake. Null: they said no. */
async function confirmed(p: PreviewView): Promise<number | null> {
  const count = p.totals.will_change;
  if (!hasTerminal()) throw new UsageError(`Without a terminal, give the number: --expect ${count}`);
  showPreview(p);
  if (!p.expectRequired) return /^y(es)?$/i.test(await ask(`${startWords(p.parts)}? [y/N] `)) ? count : null;
  const typed = await ask(`${willWords(p.parts)}. Type the number to start: `);
  return Number(typed.replaceAll(',', '')) === count ? count : null;
}
