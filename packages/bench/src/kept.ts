import { render } from '@tantamos/core';
import type { Client } from 'pg';
import { claimed } from '@tantamos/service/dist/engine/statements/claim';
import { schemaVersion } from '@tantamos/service/dist/database/migrate';
import { bytesKept, filter, makeTable } from './tables';
import type { Service } from './service';

/** So many runs, of so many records each, spread over so many months before this one. */
export const runsKept = 1000;
export const recordsEach = 10_000;
export const monthsKept = 12;
const batch = 1000;

export interface Kept {
  readonly what: string;
  readonly bytes: number;
  /** Median of claiming a batch of a run at work, in ms. */
  readonly claim: number;
}

/**
 * What journals weigh and cost: the size of the control tables and the time of a claim with no other runs kept, with a year of
 * them, and after retention has dropped that year; and how long the dropping takes, in seconds.
 */
export async function keptFigures(db: Client, service: Service): Promise<{ kept: Kept[]; drop: number }> {
  await makeTable(db, 'orders_kept', 4 * recordsEach);
  const edits = [
    { kind: 'set' as const, field: 'status', value: 'held' },
    { kind: 'fill' as const, field: 'region', value: 'south' },
  ];
  let p = await service.client.makePreview({
    selection: { type: 'orders_kept', filter },
    edits,
    safety: { batchSize: batch },
  });
  for await (const next of service.client.previewEvents(p.id)) p = next;
  // Asked after the first, so that the rest stays to be claimed.
  const run = await service.client.startRun({ preview: p.id, askAfter: 1, expect: p.totals.will_change });
  for await (const { state } of service.client.runEvents(run.id)) if (state === 'waiting_for_you') break;
  const figure = async (what: string): Promise<Kept> => {
    await db.query('analyze');
    return { what, bytes: await bytesKept(db), claim: await claimTime(db, run.id, p.id, what) };
  };
  const kept = [await figure('no other run kept')];
  await multiply(db, p.id, run.id);
  kept.push(await figure(`${runsKept.toLocaleString('en-US')} runs of ${recordsEach.toLocaleString('en-US')} kept`));
  const begun = performance.now();
  const { rows } = await db.query<{ month: string }>(
    `select to_date(substr(relname, 7), 'YYYY_MM')::text as month from pg_class
     where relnamespace = 'tantamos'::regnamespace and relname ~ '^batch_\\d{4}_\\d{2}$' and to_date(substr(relname, 7), 'YYYY_MM') < date_trunc('month', now())`,
  );
  for (const { month } of rows) await db.query('select tantamos.drop_month($1::date)', [month]);
  const drop = (performance.now() - begun) / 1000;
  kept.push(await figure('their months dropped'));
  return { kept, drop };
}

/** The statement of a lane, rolled back. */
async function claimTime(db: Client, run: string, preview: string, name: string): Promise<number> {
  const { text, values } = render(
    claimed({ run, preview, part: 0, lane: 0, schema: await schemaVersion(), from: 1 }, false),
  );
  const times: number[] = [];
  await db.query('set plan_cache_mode = force_generic_plan');
  for (let i = 0; i < 300; i++) {
    await db.query('begin');
    await db.query(`update tantamos.run set state = 'running', ask_before = null where id = $1`, [run]);
    const begun = performance.now();
    const { rowCount } = await db.query({ name, text, values });
    times.push(performance.now() - begun);
    await db.query('rollback');
    if (rowCount !== 1) throw new Error('There was nothing to claim.');
  }
  await db.query('reset plan_cache_mode');
  return times.slice(50).sort((a, b) => a - b)[125]!;
}

/** The one run a thousand times over, each with ids of a moment in the past. */
async function multiply(db: Client, preview: string, run: string): Promise<void> {
  await db.query(
    `select tantamos.need_month((date_trunc('month', now()) - make_interval(months => n))::date) from generate_series(1, ${monthsKept}) n`,
  );
  await db.query(`create temp table copies as
    select n, at, (lpad(to_hex((extract(epoch from at) * 1000)::bigint), 12, '0') || '7' || substr(md5('p' || n), 1, 19))::uuid as preview,
      (lpad(to_hex((extract(epoch from at) * 1000)::bigint), 12, '0') || '7' || substr(md5('r' || n), 1, 19))::uuid as run
    from generate_series(1, ${runsKept}) n,
      lateral (select date_trunc('month', now()) - make_interval(months => 1 + n % ${monthsKept}, days => -1 - n % 27) as at) a`);
  const copy = async (table: string, ids: Readonly<Record<string, string>>, where: string): Promise<void> => {
    const { rows } = await db.query<{ name: string }>(
      `select attname as name from pg_attribute where attrelid = $1::regclass and attnum > 0 and not attisdropped and attgenerated = '' order by attnum`,
      [`tantamos.${table}`],
    );
    const names = rows.map((r) => r.name);
    await db.query(
      `insert into tantamos.${table} (${names.join(', ')}) select ${names.map((n) => ids[n] ?? `o.${n}`).join(', ')}
       from tantamos.${table} o cross join copies c where o.${where}`,
    );
  };
  const done = { state: `'finished'`, ended_at: 'c.at', not_yet: '0', changed: 'o.changed + o.not_yet' };
  await copy('preview', { id: 'c.preview', made_at: 'c.at' }, `id = '${preview}'`);
  for (const table of ['batch', 'batch_value']) await copy(table, { preview: 'c.preview' }, `preview = '${preview}'`);
  await copy('run', { id: 'c.run', preview: 'c.preview', started_at: 'c.at', ...done }, `id = '${run}'`);
  await copy(
    'run_batch',
    { run: 'c.run', state: `'done'`, outcomes: `translate(o.outcomes, 'n', 'c')`, tries: '1' },
    `run = '${run}'`,
  );
}
