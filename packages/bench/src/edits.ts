import type { Client } from 'pg';
import type { JobBody, PreviewView, RunView } from '@tantamos/contract';
import { handWhere, filter, makeTable } from './tables';
import { median, seconds } from './turns';
import type { Service } from './service';

/** What the bench asks of a preview and a run. */
export interface Doing {
  settled(service: Service, preview: PreviewView): Promise<PreviewView>;
  runOf(service: Service, preview: PreviewView): Promise<{ run: RunView; seconds: number }>;
}

export interface EditFigures {
  readonly changed: number;
  /** Seconds, medians of rounds taken in turn. */
  readonly handTable: number;
  readonly preview: number;
  readonly plainUpdate: number;
  readonly run: number;
}

const people = 500;
const shares = Array.from({ length: 10 }, (_, i) => ({ to: String(i + 1), weight: i + 1 }));
const pairs = Array.from({ length: 200 }, (_, i) => ({ old: `note ${i}`, new: `class ${i % 7}, ${i}` }));

/** A map of 200 values, a computation through a reference, numbers in another order, a division by weights. */
const edits: JobBody['edits'] = [
  { kind: 'map', field: 'note', pairs },
  { kind: 'compute', field: 'amount', formula: 'ROUND(amount * owner.rate, 2)' },
  { kind: 'number', field: 'region', prefix: 'R-', width: 7, order: ['-amount'] },
  { kind: 'split', field: 'owner', among: shares },
];

/** The same by hand: old and new values of every record, into a table. */
function byHand(table: string): string {
  const map = pairs.map((p) => `('${p.old}', '${p.new}')`).join(', ');
  const total = shares.reduce((sum, s) => sum + s.weight, 0);
  let upTo = 0;
  const owners = shares.map((s) => `when k <= round(c * ${(upTo += s.weight)} / ${total}.0) then ${s.to}`);
  return `create table ${table}_hand as
    select o.id, o.note as old_note, coalesce(m.now, o.note) as note, o.amount as old_amount,
      round(o.amount * p.rate, 2)::numeric(12,2) as amount, o.region as old_region, 'R-' || lpad(o.n::text, 7, '0') as region,
      o.owner as old_owner, case ${owners.join(' ')} end as owner
    from (select *, row_number() over (order by amount desc, id) as n, row_number() over (order by id) as k, count(*) over () as c
          from ${table} where ${handWhere}) o
    join bench_people p on p.id = o.owner left join (values ${map}) m(old, now) on m.old = o.note`;
}

/** The four edits on a quarter of so many rows, beside the same by hand, a few rounds in turn; what comes out must be the same. */
export async function editFigures(
  db: Client,
  service: Service,
  rows: number,
  { settled, runOf }: Doing,
  say: (text: string) => void,
  rounds = 3,
): Promise<EditFigures> {
  await db.query('drop table if exists bench_people cascade');
  await db.query('create table bench_people (id integer primary key, name text, rate numeric(6,4) not null)');
  await db.query(`insert into bench_people select n, 'person ' || n, 1 + n / 1000.0 from generate_series(0, $1) n`, [
    people - 1,
  ]);
  const taken = {
    handTable: [] as number[],
    preview: [] as number[],
    plainUpdate: [] as number[],
    run: [] as number[],
  };
  let changed = 0;
  for (let round = 1; round <= rounds; round++) {
    const [hand, ours] = ['orders_hand', 'orders_edits'];
    for (const table of [hand, ours]) {
      say(`round ${round}: making ${table} …`);
      await db.query(`drop table if exists ${table}_hand`);
      await makeTable(db, table, rows);
      await db.query(`alter table ${table} add foreign key (owner) references bench_people`);
    }
    say(`round ${round}: by hand …`);
    taken.handTable.push((await seconds(() => db.query(byHand(hand)))).seconds);
    await db.query(`create index on ${hand}_hand (id); analyze ${hand}_hand; checkpoint`);
    const plain = await seconds(() =>
      db.query(`update ${hand} o set note = h.note, amount = h.amount, region = h.region, owner = h.owner
        from ${hand}_hand h where h.id = o.id`),
    );
    changed = plain.result.rowCount!;
    taken.plainUpdate.push(plain.seconds);
    say(`round ${round}: preview and run …`);
    await db.query('checkpoint');
    // The service keeps what it knows of the tables for a while; a change of the workspace has it look again.
    await service.client.setWorkspace({});
    const job: JobBody = { selection: { type: ours, filter }, edits, safety: { atOnce: 2, pace: 100 } };
    const preview = await seconds(async () => settled(service, await service.client.makePreview(job)));
    taken.preview.push(preview.seconds);
    if (preview.result.totals.will_change !== changed)
      throw new Error(`The preview counts ${preview.result.totals.will_change}, the plain update ${changed}.`);
    await db.query('checkpoint');
    taken.run.push((await runOf(service, preview.result)).seconds);
    const { rows: differ } = await db.query<{ n: string }>(`select count(*) as n from (
      (select * from ${hand} except select * from ${ours}) union all (select * from ${ours} except select * from ${hand})) d`);
    if (differ[0]!.n !== '0') throw new Error(`${differ[0]!.n} records are not as by hand.`);
  }
  return {
    changed,
    handTable: median(taken.handTable),
    preview: median(taken.preview),
    plainUpdate: median(taken.plainUpdate),
    run: median(taken.run),
  };
}
