import { setTimeout as sleep } from 'node:timers/promises';
import type { Pool } from 'pg';
import { referAnew } from './coded';
import { owners, records } from './world';

/** How often each thing was done. */
export interface Counts {
  handEdits: number;
  handDeletes: number;
  locks: number;
  cuts: number;
  serviceKills: number;
  freezes: number;
  crashes: number;
  words: number;
}

const random = (n: number): number => Math.floor(Math.random() * n);
const some = (n: number): number[] => Array.from({ length: n }, () => 1 + random(records));

/** Goes on until `isOver`; whatever fails because the database is down meanwhile is tried again. */
async function again(isOver: () => boolean, pause: () => number, work: () => Promise<void>): Promise<void> {
  while (!isOver()) {
    await work().catch(() => {});
    await sleep(pause());
  }
}

/** People at work: they edit what runs write or read, delete, hold rows and what rows point at, and seal some. */
export async function people(db: Pool, counts: Counts, isOver: () => boolean): Promise<void> {
  const refer = again(
    isOver,
    () => 40,
    async () => void (counts.handEdits += await referAnew(db)),
  );
  const edit = again(
    isOver,
    () => 12,
    async () => {
      const ids = some(4);
      const kind = random(10);
      const text =
        kind < 6
          ? `update orders set note = 'hand ' || random() where id = any($1)`
          : kind < 8
            ? `update orders set amount = -amount where id = any($1)`
            : `update orders set status = case status when 'open' then 'held' else 'open' end where id = any($1)`;
      const { rowCount } = await db.query(text, [ids]);
      counts.handEdits += rowCount ?? 0;
    },
  );
  const through = again(
    isOver,
    () => 150,
    async () => {
      const id = 1 + random(owners);
      await db.query(`update owners set kind = 'south' where id = $1`, [id]);
      await sleep(30);
      await db.query(`update owners set kind = 'north' where id = $1`, [id]);
      counts.handEdits += 2;
    },
  );
  const remove = again(
    isOver,
    () => 200,
    async () => {
      const { rowCount } = await db.query('delete from orders where id = any($1)', [some(3)]);
      counts.handDeletes += rowCount ?? 0;
    },
  );
  const hold = again(
    isOver,
    () => 60,
    async () => {
      const client = await db.connect();
      client.on('error', () => {});
      try {
        await client.query('begin');
        if (random(3) === 0) await client.query('select from owners where id = $1 for update', [1 + random(owners)]);
        else await client.query('select from orders where id = any($1) for update', [some(10)]);
        counts.locks++;
        await sleep(20 + random(500));
        await client.query('rollback');
      } finally {
        client.release(true);
      }
    },
  );
  await Promise.all([edit, through, remove, hold, refer]);
}

/** Connections of Tantamos that are cut; backends that die, and with them, for a moment, the database. */
export async function network(db: Pool, counts: Counts, isOver: () => boolean, crashEvery: number): Promise<void> {
  const cut = again(
    isOver,
    () => 150 + random(300),
    async () => {
      const { rowCount } = await db.query(
        `select pg_terminate_backend(pid) from (select pid from pg_stat_activity
         where application_name like 'tantamos%' and datname = current_database() order by random() limit 1) p`,
      );
      counts.cuts += rowCount ?? 0;
    },
  );
  const crash = again(
    isOver,
    () => crashEvery * (0.5 + Math.random()),
    async () => {
      if (crashEvery === Infinity) return void (await sleep(500));
      await sleep(crashEvery / 2);
      if (isOver()) return;
      const { rows } = await db.query<{ pid: number }>(
        `select pid from pg_stat_activity where application_name like 'tantamos%' and datname = current_database() order by random() limit 1`,
      );
      if (!rows[0]) return;
      // One backend killed like this, and PostgreSQL ends all others and recovers from its log.
      process.kill(rows[0].pid, 'SIGKILL');
      counts.crashes++;
      await sleep(500);
    },
  );
  await Promise.all([cut, crash]);
}
