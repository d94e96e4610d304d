import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { Pool } from 'pg';
import type { Client } from '@tantamos/client';
import type { JobBody, PreviewView, RunView, SafetyBody } from '@tantamos/contract';
import { isOver } from '@tantamos/core';
import { audit } from './audit';
import { auditCoded, lastCoded, makeCoded, recode, recoded } from './coded';
import { auditHanded, giver, handed, handover, makeHanded } from './handed';
import { auditMade, auditUnmade, madeAlong, makeMade, parcels, parcelsGo } from './made';
import { adminUrl } from '../service';
import { Pair } from './pair';
import { network, people, type Counts } from './storm';
import { makeWorld, mend } from './world';

const program = join(__dirname, '..', '..', '..', 'service', 'dist', 'main.js');

/** How long a run is stormed at, and how long after it must have ended, in ms. */
const longestStorm = 30_000;
const soonAfter = 45_000;
const mostRounds = 200;
/** A service is frozen for longer than the other waits before it takes its work over, in ms. */
const frozenFor = 14_000;

/**
 * Runs and undoes among people at work, kills, crashes and cut connections, and holds every run against an audit of its
 * own. --minutes N; --kill MS and --crash MS: how often about. Prints what was done; ends with 1 if anything was not true.
 */
async function chaos(): Promise<number> {
  const { values } = parseArgs({
    options: {
      minutes: { type: 'string', default: '1' },
      kill: { type: 'string', default: '900' },
      crash: { type: 'string', default: '4000' },
    },
  });
  const db = new Pool({ connectionString: adminUrl(), max: 12, application_name: 'hand' });
  db.on('error', () => {});
  await makeWorld(db);
  await makeMade(db);
  await makeHanded(db);
  await makeCoded(db);
  const counts: Counts = {
    handEdits: 0,
    handDeletes: 0,
    locks: 0,
    cuts: 0,
    serviceKills: 0,
    freezes: 0,
    crashes: 0,
    words: 0,
  };
  const pair = new Pair(program, counts);
  await pair.start();
  const end = Date.now() + Number(values.minutes) * 60_000;
  const wrong: string[] = [];
  const runs = {
    rounds: 0,
    runs: 0,
    undone: 0,
    records: 0,
    changed: 0,
    edited: 0,
    refused: 0,
    inUse: 0,
    gone: 0,
    notYet: 0,
    made: 0,
    deleted: 0,
    handed: 0,
    recoded: 0,
  };
  // However slow the machine is, something is made, something is deleted and something handed over.
  while (
    (Date.now() < end || [runs.deleted, runs.handed, runs.recoded, counts.freezes, counts.serviceKills].includes(0)) &&
    wrong.length === 0 &&
    runs.rounds < mostRounds
  ) {
    runs.rounds++;
    await quietly(() => mend(db));
    let calm = false;
    // However long a run is stormed at, it ends soon after.
    const soothe = setTimeout(() => (calm = true), longestStorm);
    const storm = Promise.all([
      people(db, counts, () => calm),
      network(db, counts, () => calm, Number(values.crash)),
      pair.kill(() => calm, Number(values.kill)),
      pair.freeze(() => calm, frozenFor),
    ]);
    const from = await lastAudited(db);
    const tag = `run ${runs.rounds}`;
    // Every third round records are made along, every fourth, from the second on, some are deleted.
    const makes = runs.rounds % 3 === 1;
    const goes = runs.rounds % 4 === 2;
    // Every fourth, from the third on, a person hands over what is theirs.
    const hands = runs.rounds % 4 === 3;
    // Every fourth, codes that others refer to become others.
    const codes = runs.rounds % 4 === 0;
    if (codes) await quietly(() => recoded(db));
    const fromCoded = await quietly(() => lastCoded(db));
    const theirs = await quietly(() => handed(db));
    const there = await quietly(() => parcels(db));
    const job: JobBody = goes
      ? parcelsGo(runs.rounds)
      : codes
        ? recode(tag)
        : {
            selection: { type: 'orders', filter: "owner.kind = 'north' AND status = 'open'" },
            edits: [noteEdits(tag)[runs.rounds % 3]!],
            ...(makes ? { also: madeAlong(tag) } : {}),
          };
    const preview = await pair.insist((c) =>
      settled(c, (safety) =>
        hands ? c.makeHandover('owners', giver, { ...handover, safety }) : c.makePreview({ ...job, safety }),
      ),
    );
    const run = preview.totals.will_change > 0 ? await followed(db, pair, preview, counts, () => calm) : null;
    calm = true;
    clearTimeout(soothe);
    await storm;
    wrong.push(...pair.ended.map((said) => `a service ended by itself: ${said}`));
    if (!run) continue;
    if (goes) {
      const left = await quietly(() => parcels(db));
      if (left.count !== there.count - run.totals.changed)
        wrong.push(`run ${run.id}: ${there.count} parcels less ${run.totals.changed} are ${left.count}`);
      runs.deleted += run.totals.changed;
    } else if (hands) {
      wrong.push(...(await quietly(() => auditHanded(db, run.id))));
      runs.handed += run.totals.changed;
    } else if (codes) {
      wrong.push(...(await quietly(() => auditCoded(db, run.id, fromCoded))));
      runs.recoded += run.totals.changed;
    } else wrong.push(...(await quietly(() => audit(db, run.id, from, false))));
    if (makes && !goes && !hands && !codes) {
      wrong.push(...(await quietly(() => auditMade(db, run.id, tag, from))));
      runs.made += run.along.reduce((n, a) => n + a.count, 0);
    }
    runs.runs++;
    runs.records += run.totals.matched;
    runs.changed += run.totals.changed;
    runs.edited += run.totals.edited_since;
    runs.refused += run.totals.refused;
    runs.inUse += run.totals.in_use;
    runs.gone += run.totals.gone;
    runs.notYet += run.totals.not_yet;
    if ((makes || goes || hands || codes || runs.rounds % 2 === 0) && run.totals.changed > 0) {
      // Taken back in calm: what nobody has edited since is as it was before.
      const before = await lastAudited(db);
      const beforeCoded = await quietly(() => lastCoded(db));
      const back = await pair.insist(async (c) => {
        let p = await c.undoRun(run.id, {});
        for (let i = 0; p.state === 'working' && i < 200; i++) {
          await sleep(50);
          p = await c.preview(p.id);
        }
        return p;
      });
      if (back.totals.will_change > 0) {
        const undo = await followed(db, pair, back, null, () => true);
        if (goes) {
          if ((await quietly(() => parcels(db))).image !== there.image)
            wrong.push(`undo ${undo.id}: parcels or labels are not what they were`);
        } else if (hands) {
          if ((await quietly(() => handed(db))) !== theirs) wrong.push(`undo ${undo.id}: not all is with whom it was`);
        } else if (codes) wrong.push(...(await quietly(() => auditCoded(db, undo.id, beforeCoded))));
        else wrong.push(...(await quietly(() => audit(db, undo.id, before, true))));
        if (makes && !goes && !hands && !codes) wrong.push(...(await quietly(() => auditUnmade(db, undo.id, tag))));
        if (undo.totals.changed !== back.totals.will_change && undo.totals.refused === 0)
          wrong.push(`undo ${undo.id} put back ${undo.totals.changed} of ${back.totals.will_change}`);
        runs.undone += undo.totals.changed;
      }
    }
    process.stderr.write(
      `  round ${runs.rounds}: ${run.state}, ${run.totals.changed} of ${run.totals.matched} changed\n`,
    );
  }
  await pair.stop();
  await db.end();
  process.stdout.write(`${JSON.stringify({ ...runs, ...counts, wrong: wrong.slice(0, 50) }, null, 2)}\n`);
  return wrong.length === 0 ? 0 : 1;
}

/** One value for all; one by the place in an order; made up for each. */
const noteEdits = (tag: string): JobBody['edits'] => [
  { kind: 'set', field: 'note', value: tag },
  { kind: 'number', field: 'note', prefix: `${tag}, no. `, width: 5, order: ['-id'] },
  { kind: 'invent', field: 'note', what: 'words', from: 2, to: 4, alike: 'record', seed: tag },
];

const maybe = (share: number): boolean => Math.random() < share;
const waits = new Set(['paused', 'waiting_for_you', 'waiting_until']);

async function settled(c: Client, make: (safety: SafetyBody) => Promise<PreviewView>): Promise<PreviewView> {
  const safety: SafetyBody = {
    batchSize: 20 + Math.floor(Math.random() * 400),
    atOnce: 1 + Math.floor(Math.random() * 4),
    pace: 100,
    // Goes, limits and hours now and then: whoever follows it goes on when it waits.
    ...(maybe(0.4) ? { perGo: 100 + Math.floor(Math.random() * 400) } : {}),
    ...(maybe(0.3) ? { stopIf: { failures: 5, editedSince: 10, slowdown: 50, waiting: 20 } } : {}),
    ...(maybe(0.3) ? { hours: { zone: 'UTC', from: '00:00', to: '00:00' } } : {}),
  };
  let p = await make(safety);
  for (let i = 0; p.state === 'working' && i < 200; i++) {
    await sleep(50);
    p = await c.preview(p.id);
  }
  if (p.state !== 'ready') throw new Error(p.trouble ?? p.state);
  return p;
}

/** Starts the run and follows it to its end; with `counts`, a storm of pauses, continues and stops meanwhile. */
async function followed(
  db: Pool,
  pair: Pair,
  preview: PreviewView,
  counts: Counts | null,
  isCalm: () => boolean,
): Promise<RunView> {
  let run = await pair.insist(async (c) => {
    const now = await c.preview(preview.id);
    return now.run
      ? c.run(now.run)
      : c.startRun({
          preview: preview.id,
          askAfter: counts && maybe(0.3) ? 7 : null,
          first: counts && maybe(0.3) ? 'spread' : 'in_order',
          expect: preview.totals.will_change,
        });
  });
  const deadline = Date.now() + longestStorm + soonAfter;
  const isStopped = counts !== null && Math.random() < 0.3;
  while (!isOver(run.state)) {
    if (pair.ended.length > 0) throw new Error(`A service ended by itself: ${pair.ended[0]}`);
    if (Date.now() > deadline)
      throw new Error(`Run ${run.id} does not end: ${run.state}, ${run.reason}\n${await situation(db, run.id)}`);
    await sleep(40);
    const { id, state } = run;
    const word = waits.has(state)
      ? 'continue'
      : !isCalm() && Math.random() < 0.03
        ? isStopped
          ? 'stop'
          : 'pause'
        : null;
    if (counts && !isCalm() && maybe(0.02))
      await pair
        .one()
        .changeRun(id, { atOnce: 1 + Math.floor(Math.random() * 4) })
        .catch(() => {});
    if ((counts || waits.has(state)) && word) {
      await pair
        .one()
        [`${word}Run`](id)
        .catch(() => {});
      if (counts) counts.words++;
    }
    run = await pair.insist((c) => c.run(id));
  }
  return run;
}

/** What the database has to say of a run that does not end. */
async function situation(db: Pool, runId: string): Promise<string> {
  const { rows } = await db.query<{ said: string }>(
    `select jsonb_pretty(jsonb_build_object(
       'batches', (select jsonb_agg(b) from (select state, count(*), sum(not_yet) as left, max(tries), min(not_before) from tantamos.run_batch
         where run = $1 group by state) b),
       'now', clock_timestamp(),
       'locks', (select jsonb_agg(l) from (select l.pid, l.mode, l.granted, l.objid, a.application_name, a.state, left(a.query, 60) as query,
           a.backend_start from pg_locks l join pg_stat_activity a using (pid) where l.locktype = 'advisory') l),
       'active', (select jsonb_agg(s) from (select pid, application_name, state, wait_event, left(query, 60) as query from pg_stat_activity
         where datname = current_database() and state <> 'idle') s))) as said`,
    [runId],
  );
  return rows[0]!.said;
}

async function lastAudited(db: Pool): Promise<number> {
  const { rows } = await quietly(() => db.query<{ id: number }>('select coalesce(max(id), 0)::int as id from audit'));
  return rows[0]!.id;
}

/** Tried again while the database recovers. */
async function quietly<T>(work: () => Promise<T>): Promise<T> {
  for (let tries = 0; ; tries++) {
    try {
      return await work();
    } catch (error) {
      if (tries > 100) throw error;
      await sleep(100);
    }
  }
}

chaos().then(
  (code) => process.exit(code),
  (error: unknown) => {
    process.stderr.write(`${(error as Error).stack}\n`);
    process.exit(1);
  },
);
