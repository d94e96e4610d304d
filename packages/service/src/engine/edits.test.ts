import type { JobBody } from '@tantamos/contract';
import { createHash } from 'node:crypto';
import { done, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

type EditBody = JobBody['edits'][number];

/** An edit of bookings, and what each makes of its fields by hand. */
interface Trial {
  readonly edit: EditBody | readonly EditBody[];
  readonly sets: Readonly<Record<string, string>>;
  /** Which are to change; all by default. */
  readonly where?: string;
}

const crop = `(select upper(left(c, 1)) || replace(substr(c, 2), '_', ' ') from (select crop::text as c) x)`;
const words = (sql: string) => `regexp_replace(btrim(${sql}, ' '), ' +', ' ', 'g')`;
const trials: readonly Trial[] = [
  {
    edit: { kind: 'set', field: 'note', value: 'For {crop} in {valley}: {hives} {{hives}}' },
    sets: {
      note: `'For ' || ${crop} || ' in ' || case valley when 'north' then 'North' when 'south' then 'South' when 'east' then 'East' when 'west' then 'West' else initcap(valley) end || ': ' || hives || ' {hives}'`,
    },
  },
  {
    edit: { kind: 'set', field: 'note', value: 'of {grower}, {owner}' },
    sets: {
      note: `'of ' || (select name from growers g where g.id = grower) || ', ' || coalesce((select name from staff s where s.id = owner), '')`,
    },
  },
  {
    edit: { kind: 'fill', field: 'region', value: '{valley} side' },
    sets: {
      region: `coalesce(nullif(region, ''), case valley when 'high' then 'High' else initcap(valley) end || ' side')`,
    },
  },
  {
    edit: { kind: 'set', field: 'note', value: 'x', where: 'hives > 50' },
    sets: { note: `case when hives > 50 then 'x' else note end` },
  },
  {
    edit: { kind: 'clear', field: 'note', where: "note LIKE '%hives%'" },
    sets: { note: `case when note like '%hives%' then null else note end` },
  },
  {
    edit: { kind: 'put', field: 'note', values: { '427': null, '61': '{hives}', '122': '' } },
    sets: { note: `case id when 427 then null when 61 then '{hives}' when 122 then '' else note end` },
  },
  { edit: { kind: 'compute', field: 'hives', formula: 'hives * 2 + 1' }, sets: { hives: 'hives * 2 + 1' } },
  {
    edit: { kind: 'compute', field: 'price_per_hive', formula: 'price_per_hive * 1.055' },
    sets: { price_per_hive: 'round(price_per_hive * 1.055, 2)' },
  },
  {
    edit: { kind: 'compute', field: 'owner', formula: 'grower.owner', where: 'grower.owner IS NOT NULL' },
    sets: { owner: 'coalesce((select owner from growers g where g.id = grower), owner)' },
  },
  {
    edit: { kind: 'compute', field: 'owner', formula: "IF(hives > 50, 'Ines Calloway', 'Tobias Fenwick')" },
    sets: { owner: 'case when hives > 50 then 1 else 2 end' },
  },
  {
    edit: {
      kind: 'compute',
      field: 'status',
      formula: "IF(hives > 1000, 'Placed', 'draft')",
      where: 'site IS NOT NULL',
    },
    sets: { status: `case when site is not null then 'draft' else status end` },
  },
  { edit: { kind: 'compute', field: 'wants_water', formula: 'hives > 50' }, sets: { wants_water: 'hives > 50' } },
  { edit: { kind: 'compute', field: 'end_on', formula: 'start_on + hives' }, sets: { end_on: 'start_on + hives' } },
  { edit: { kind: 'compute', field: 'note', formula: 'hives' }, sets: { note: 'hives::text' } },
  {
    edit: { kind: 'copy', field: 'note', from: 'grower.note' },
    sets: { note: `coalesce(nullif((select g.note from growers g where g.id = grower), ''), note)` },
  },
  {
    edit: { kind: 'copy', field: 'note', from: 'grower.note', blank: 'clear' },
    sets: { note: `(select g.note from growers g where g.id = grower)` },
  },
  {
    edit: { kind: 'copy', field: 'note', from: 'owner' },
    sets: { note: `coalesce((select s.name from staff s where s.id = owner), note)` },
  },
  {
    edit: { kind: 'copy', field: 'owner', from: 'grower.owner' },
    sets: { owner: `coalesce((select g.owner from growers g where g.id = grower), owner)` },
  },
  {
    edit: { kind: 'move', field: 'note', from: 'region' },
    sets: {
      note: `case when nullif(region, '') is not null and nullif(note, '') is null then region else note end`,
      region: `case when nullif(region, '') is not null and nullif(note, '') is null then null else region end`,
    },
  },
  {
    edit: { kind: 'move', field: 'note', from: 'region', filled: 'join', with: ' / ' },
    sets: {
      note: `case when nullif(region, '') is not null then case when nullif(note, '') is null then region else note || ' / ' || region end else note end`,
      region: `case when region <> '' then null else region end`,
    },
  },
  {
    edit: { kind: 'move', field: 'note', from: 'region', filled: 'overwrite' },
    sets: { note: `coalesce(nullif(region, ''), note)`, region: `case when region <> '' then null else region end` },
  },
  {
    edit: { kind: 'replace', field: 'note', find: 'HIVES', with: 'bee hives', anyCase: true },
    sets: { note: `regexp_replace(note, 'hives', 'bee hives', 'gi')` },
  },
  {
    edit: { kind: 'replace', field: 'note', find: 'e', with: 'E', match: 'end' },
    sets: { note: `regexp_replace(note, 'e$', 'E')` },
  },
  {
    edit: { kind: 'replace', field: 'note', find: 'ten', with: '10', match: 'word' },
    sets: { note: String.raw`regexp_replace(note, '\mten\M', '10', 'g')` },
  },
  { edit: { kind: 'tidy', field: 'region', how: ['spaces', 'upper'] }, sets: { region: `upper(${words('region')})` } },
  {
    edit: {
      kind: 'map',
      field: 'valley',
      pairs: [
        { old: 'North', new: 'south' },
        { old: 'south', new: 'North' },
      ],
    },
    sets: { valley: `case valley when 'north' then 'south' when 'south' then 'north' else valley end` },
  },
  {
    edit: {
      kind: 'map',
      field: 'owner',
      pairs: [
        { old: 'Ines Calloway', new: 'Tobias Fenwick' },
        { old: '', new: 'Ines Calloway' },
      ],
    },
    sets: { owner: 'case when owner = 1 then 2 when owner is null then 1 else owner end' },
  },
  {
    edit: {
      kind: 'map',
      field: 'note',
      from: 'hives',
      ranges: [
        { below: 20, new: 'small' },
        { from: 20, below: 60, new: 'medium' },
      ],
      otherwise: 'large',
    },
    sets: { note: `case when hives < 20 then 'small' when hives < 60 then 'medium' else 'large' end` },
  },
  {
    edit: { kind: 'map', field: 'hives', from: 'crop', pairs: [{ old: 'Clover', new: 5 }], rest: 'leave' },
    sets: { hives: `case when crop = 'clover' then 5 else hives end` },
  },
  { edit: { kind: 'shift', field: 'hives', by: '3', most: 100 }, sets: { hives: 'least(hives + 3, 100)' } },
  {
    edit: { kind: 'shift', field: 'price_per_hive', percent: -5, round: 1, least: 10 },
    sets: { price_per_hive: 'greatest(round(price_per_hive * 0.95, 1), 10)::numeric(10,2)' },
  },
  {
    edit: { kind: 'shift', field: 'end_on', by: 2, unit: 'months' },
    sets: { end_on: `(end_on + interval '2 months')::date` },
  },
  {
    edit: { kind: 'shift', field: 'end_on', to: 'end of quarter' },
    sets: { end_on: `(date_trunc('quarter', end_on) + interval '3 months -1 day')::date` },
  },
  {
    edit: { kind: 'shift', field: 'end_on', next: 'monday' },
    sets: { end_on: `end_on + (8 - extract(isodow from end_on)::int)` },
  },
  {
    edit: { kind: 'number', field: 'hives', start: 5, step: 2, order: ['-price_per_hive'] },
    sets: {
      hives: `(select 3 + 2 * n from (select id, row_number() over (order by price_per_hive desc, id) as n from bookings) x where x.id = b.id)`,
    },
  },
  {
    edit: { kind: 'number', field: 'note', prefix: '{crop}-', width: 4, per: ['crop'] },
    sets: {
      note: `${crop} || '-' || lpad((select n from (select id, row_number() over (partition by crop order by id) as n from bookings) x where x.id = b.id)::text, 4, '0')`,
    },
  },
  {
    edit: { kind: 'number', field: 'hives', goOn: true, step: 3, per: ['crop'] },
    sets: {
      hives: `(select 3 * n + (select max(hives) from bookings y where y.crop = b.crop) from (select id, row_number() over (partition by crop order by id) as n from bookings) x where x.id = b.id)`,
    },
  },
  {
    edit: { kind: 'number', field: 'note', goOn: true, prefix: 'c-', width: 6 },
    sets: {
      note: `'c-' || lpad(((select max(substr(note, 3)::int) from bookings where note ~ '^c-[0-9]+$') + (select n from (select id, row_number() over (order by id) as n from bookings) x where x.id = b.id))::text, 6, '0')`,
    },
  },
  {
    edit: { kind: 'number', field: 'note', goOn: true, start: 7, prefix: 'unused-' },
    sets: {
      note: `'unused-' || (6 + (select n from (select id, row_number() over (order by id) as n from bookings) x where x.id = b.id))`,
    },
  },
  {
    edit: { kind: 'copy', field: 'note', from: 'owner', of: 'growers', record: '1' },
    sets: { note: `(select s.name from growers g join staff s on s.id = g.owner where g.id = 1)` },
  },
  {
    edit: { kind: 'copy', field: 'valley', from: 'valley', record: 'B-0000061', where: 'hives > 20' },
    sets: { valley: `case when hives > 20 then (select valley from bookings where id = 61) else valley end` },
  },
  {
    edit: {
      kind: 'split',
      field: 'owner',
      among: [{ to: 'Ines Calloway' }, { to: 'Tobias Fenwick' }, { to: '3' }],
      level: [{}],
    },
    sets: {
      owner: `(select (n - 1) % 3 + 1 from (select id, row_number() over (order by id) as n from bookings) x where x.id = b.id)`,
    },
  },
  {
    edit: { kind: 'split', field: 'owner', among: [{ to: 'Ines Calloway' }, { to: 'Tobias Fenwick', weight: 3 }] },
    sets: {
      owner: `(select case when n <= round(c / 4.0) then 1 else 2 end from (select id, row_number() over (order by id) as n, count(*) over () as c from bookings) x where x.id = b.id)`,
    },
  },
  {
    edit: { kind: 'add', field: 'note', entries: ['frost', '{valley}'], separator: '; ' },
    sets: {
      note: `case when coalesce(note, '') = '' then 'frost; ' || initcap(valley) else note || '; frost; ' || initcap(valley) end`,
    },
  },
  {
    edit: [
      { kind: 'set', field: 'note', value: 'For {new(hives)} hives in {new(valley)}', where: 'new(hives) > hives + 9' },
      { kind: 'compute', field: 'hives', formula: "IF(new(valley) = 'west', hives + 10, hives)" },
      { kind: 'map', field: 'valley', pairs: [{ old: 'North', new: 'West' }] },
    ],
    sets: {
      note: `case when valley in ('north', 'west') then 'For ' || hives + 10 || ' hives in West' else note end`,
      hives: `case when valley in ('north', 'west') then hives + 10 else hives end`,
      valley: `case when valley = 'north' then 'west' else valley end`,
    },
  },
  {
    edit: {
      kind: 'map',
      field: 'note',
      from: 'price_per_hive',
      pairs: Array.from({ length: 1000 }, (_, n) => ({ old: String((n + 3000) / 100), new: `price ${n}` })),
    },
    sets: {
      note: `case when price_per_hive >= 30 and price_per_hive < 40 then 'price ' || (price_per_hive * 100 - 3000)::int else note end`,
    },
  },
];

describe('every edit', () => {
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace();
    await w.sql.query(
      `begin; set local session_replication_role = replica;
       truncate tasks, remarks, placements, inspections, invoices; delete from bookings where id % 61 <> 0;
       update bookings set note = 'Ask for ten Hives at the gate' where id % 7 = 0;
       update bookings set note = 'c-' || id where id % 13 = 0;
       update bookings set region = '  two  words ' where id % 11 = 0; commit`,
    );
  });
  afterAll(() => w.close());

  const fields =
    'note, region, hives, price_per_hive, start_on, end_on, wants_water, status, valley, owner, site'.split(', ');
  const state = async () => (await w.sql.query(`select id, ${fields.join(', ')} from bookings order by id`)).rows;
  /** Rows that would break a rule of the table stay as they are. */
  const byHand = async (sets: Readonly<Record<string, string>>) => {
    const at = (f: string): string => `coalesce2.${f}`;
    const made = fields.map((f) => `${sets[f] ?? `b.${f}`} as ${f}`);
    const ok = `${at('hives')} > 0 and ${at('end_on')} >= ${at('start_on')} and (${at('status')} <> 'confirmed' or ${at('site')} is not null)`;
    const columns = fields.map((f) => `case when coalesce(${ok}, false) then coalesce2.${f} else b.${f} end as ${f}`);
    return (
      await w.sql.query(
        `select b.id, ${columns.join(', ')} from bookings b join (select b.id, ${made.join(', ')} from bookings b) coalesce2 using (id) order by b.id`,
      )
    ).rows;
  };

  it.each(trials.map((t) => [JSON.stringify(t.edit).slice(0, 200), t] as const))('%s', async (_, { edit, sets }) => {
    const before = await state();
    const expected = await byHand(sets);
    const differ = expected.filter((row, i) => JSON.stringify(row) !== JSON.stringify(before[i])).length;
    expect(differ).toBeGreaterThan(0);
    const p = await previewed(w.admin, {
      selection: { type: 'bookings' },
      edits: [edit].flat(),
      safety: { batchSize: 100, pace: 100 },
    });
    expect(p.totals).toMatchObject({ matched: before.length, will_change: differ });
    const run = await ran(w.admin, p.id, { askAfter: null, expect: differ });
    expect(run.totals.changed).toBe(differ);
    expect(await state()).toEqual(expected);
    const undone = await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: differ });
    expect(undone.totals.changed).toBe(differ);
    expect(await state()).toEqual(before);
  });

  it('levels: whoever has fewest gets the next, of this type and of others, however the set is cut', async () => {
    const among = [1, 2, 3, 4, 5, 6];
    const filter = "status = 'cancelled'";
    const counted = async (where: string) =>
      (
        await w.sql.query<{ n: number }>(
          `select ((select count(*) from bookings where owner = s.id and hives > 10 and ${where})
             + (select count(*) from growers where owner = s.id and status = 'dormant'))::int as n
           from unnest($1::int[]) s(id) order by id`,
          [among],
        )
      ).rows.map((r) => r.n);
    const before = await counted(`status <> 'cancelled'`);
    const { rows: dealt } = await w.sql.query<{ n: number }>(
      `select count(*)::int as n from bookings where status = 'cancelled'`,
    );
    // One after another to whoever has fewest, the first named of equals.
    const expected = [...before];
    for (let i = 0; i < dealt[0]!.n; i++) expected[expected.indexOf(Math.min(...expected))]!++;
    const edit = {
      kind: 'split',
      field: 'owner',
      among: among.map((id) => ({ to: String(id) })),
      level: [{ filter: 'hives > 10' }, { type: 'growers', field: 'owner', filter: "status = 'dormant'" }],
    } as const;
    const results: unknown[] = [];
    for (const batchSize of [1000, 3]) {
      const selection = { type: 'bookings', filter };
      const run = await done(w.admin, { selection, edits: [edit], safety: { batchSize, pace: 100 } });
      const shares = (
        await w.sql.query(
          `select owner, count(*)::int as n from bookings where status = 'cancelled' group by 1 order by 1`,
        )
      ).rows as { owner: number; n: number }[];
      expect(among.map((id, i) => before[i]! + (shares.find((s) => s.owner === id)?.n ?? 0)).sort()).toEqual(
        [...expected].sort(),
      );
      results.push((await w.sql.query(`select id, owner from bookings where status = 'cancelled' order by id`)).rows);
      await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: run.totals.changed });
    }
    expect(results[1]).toEqual(results[0]);
  });

  it('writes again what is right already, where that is meant, so that triggers fire; and nothing else', async () => {
    await w.sql.query(
      `create table touched (id int); grant insert on touched to public;
       create function touch() returns trigger language plpgsql as $$ begin insert into touched values (new.id); return new; end $$;
       create trigger touching before update on bookings for each row execute function touch();
       update bookings set region = 'again' where wants_water and site is not null; truncate touched`,
    );
    const job: JobBody = {
      selection: { type: 'bookings' },
      edits: [{ kind: 'set', field: 'region', value: 'again', where: 'wants_water = TRUE AND site IS NOT NULL' }],
    };
    const as = await previewed(w.admin, job);
    expect(as.totals.will_change).toBe(0);
    const { rows: meant } = await w.sql.query(
      'select id from bookings where wants_water and site is not null order by id',
    );
    const run = await done(w.admin, { ...job, writeAgain: true });
    expect(run.totals).toMatchObject({ changed: meant.length, already_right: run.totals.matched - meant.length });
    expect((await w.sql.query('select id from touched order by id')).rows).toEqual(meant);
    expect(run.sentence).toContain('what is right already is written again');
    let undo = await w.admin.undoRun(run.id, {});
    for await (const next of w.admin.previewEvents(undo.id)) undo = next;
    expect(undo.totals).toMatchObject({ will_change: 0, already_right: meant.length });
    await w.sql.query('drop trigger touching on bookings; drop function touch; drop table touched');
  });

  describe('invents', () => {
    const values = async (field: string): Promise<(string | null)[]> =>
      (await w.sql.query(`select ${field}::text as v from bookings order by id`)).rows.map((r) => r.v as string | null);
    /** What each booking has before and comes to have; taken back afterwards. */
    const invented = async (edit: Partial<EditBody>, field = 'note') => {
      const before = await values(field);
      const job: JobBody = {
        selection: { type: 'bookings', filter: 'site IS NOT NULL' },
        edits: [{ kind: 'invent', field, ...edit } as EditBody],
      };
      const run = await done(w.admin, job);
      const after = await values(field);
      await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: run.totals.changed });
      const kept = (await w.sql.query('select site is null as out from bookings order by id')).rows;
      return before.map((old, i) => ({ old, now: after[i]!, out: kept[i].out as boolean })).filter((r) => !r.out);
    };

    it('the same for the same, so that what is masked still joins; blanks stay blank; another seed makes others', async () => {
      const made = await invented({ what: 'name', seed: 'one' });
      const byOld = new Map<string, Set<string>>();
      for (const { old, now } of made)
        if (old) byOld.set(old, (byOld.get(old) ?? new Set()).add(now));
        else expect(now).toBe(old);
      expect(byOld.size).toBeGreaterThan(3);
      for (const names of byOld.values())
        expect([...names]).toEqual([expect.stringMatching(/^[A-Z][a-z]+ [A-Z][a-z]+$/)]);
      expect(await invented({ what: 'name', seed: 'one' })).toEqual(made);
      expect(await invented({ what: 'name', seed: 'two' })).not.toEqual(made);
    });

    it('one for each record, in every form', async () => {
      const forms: [Partial<EditBody>, RegExp, string?][] = [
        [{ what: 'mail' }, /^[a-z]+\.[a-z]+\.\d{6}@example\.(com|org|net)$/],
        [{ what: 'phone' }, /^\+999 \d{3} \d{3} \d{3}$/],
        [{ what: 'words', from: 2, to: 5 }, /^[a-z]+( [a-z]+){1,4}$/],
        [{ what: 'number', from: 5, to: '7' }, /^[567]$/, 'hives'],
        [{ what: 'number', from: '1.5', to: '1.75' }, /^1\.(5\d|6\d|7[0-5])$/, 'price_per_hive'],
        [{ what: 'date', from: '2031-01-30', to: '2031-02-02' }, /^2031-0(1-3[01]|2-0[12])$/, 'end_on'],
        [{ what: 'choice' }, /^(north|south|east|west|high)$/, 'valley'],
        [
          { what: 'choice', among: [{ to: '1', weight: 3 }, { to: 'Tobias Fenwick' }, { to: '5', weight: 0 }] },
          /^[12]$/,
          'owner',
        ],
      ];
      for (const [edit, like, field] of forms) {
        const made = await invented({ ...edit, alike: 'record' }, field);
        expect(made.filter(({ now }) => !like.test(now))).toEqual([]);
        const different = new Set(made.map((r) => r.now)).size;
        // All that can come out does, of few; of many nearly each is another.
        expect([JSON.stringify(edit), different]).toEqual([JSON.stringify(edit), expect.any(Number)]);
        expect(different).toBeGreaterThanOrEqual(field === 'owner' ? 2 : 3);
      }
      const shares = (
        await invented({ what: 'choice', among: [{ to: '1', weight: 3 }, { to: '2' }], alike: 'record' }, 'owner')
      ).filter((r) => r.now === '1').length;
      expect(shares / (await values('owner')).length).toBeGreaterThan(0.6);
    });

    it('the present values, shuffled: each goes to one record, blanks stay, the seed decides', async () => {
      const sorted = (all: readonly (string | null)[]): (string | null)[] => [...all].sort();
      for (const field of ['note', 'hives', 'owner', 'promotion_code', 'valley']) {
        const made = await invented({ what: 'shuffle', seed: 'one' }, field);
        expect(sorted(made.map((r) => r.now))).toEqual(sorted(made.map((r) => r.old)));
        expect(made.filter((r) => (r.old === null) !== (r.now === null))).toEqual([]);
        expect(made.filter((r) => r.old !== r.now).length).toBeGreaterThan(5);
        expect(await invented({ what: 'shuffle', seed: 'one' }, field)).toEqual(made);
        expect(await invented({ what: 'shuffle', seed: 'two' }, field)).not.toEqual(made);
      }
    });

    it('… among records with the same of a field, blank or not', async () => {
      const groups = await values('region');
      const filter = 'site IS NOT NULL';
      expect(groups).toContain(null);
      const before = await values('hives');
      const run = await done(w.admin, {
        selection: { type: 'bookings', filter },
        edits: [{ kind: 'invent', field: 'hives', what: 'shuffle', per: ['region'] }],
      });
      const after = await values('hives');
      const within = (all: readonly (string | null)[]): string[] => all.map((v, i) => `${groups[i]} ${v}`).sort();
      expect(within(after)).toEqual(within(before));
      expect(after).not.toEqual(before);
      expect(run.sentence).toContain('shuffle hives among the records within each region');
      await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: run.totals.changed });
      expect(await values('hives')).toEqual(before);
    });

    it('… also of values that may be there once, handed on from record to record', async () => {
      const codes = async (): Promise<string[]> =>
        (await w.sql.query('select code from sites order by id limit 300')).rows.map((r) => r.code as string);
      const before = await codes();
      const run = await done(w.admin, {
        selection: { type: 'sites', filter: `code IN (${before.map((c) => `'${c}'`).join(', ')})` },
        edits: [{ kind: 'invent', field: 'code', what: 'shuffle' }],
      });
      const after = await codes();
      expect([...after].sort()).toEqual([...before].sort());
      expect(run.totals).toMatchObject({ changed: before.filter((c, i) => c !== after[i]).length, not_allowed: 0 });
      await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: run.totals.changed });
      expect(await codes()).toEqual(before);
    });

    it.each([
      [{ what: 'shuffle', from: 1 }, 'hives', 'edits[0].from', /says nothing of the present values/],
      [{ what: 'shuffle', alike: 'value' }, 'hives', 'edits[0].alike', /the value of another/],
      [{ what: 'name', per: ['valley'] }, 'note', 'edits[0].per', /says nothing of names/],
      [{ what: 'name' }, 'hives', 'edits[0].what', /takes no names/],
      [{ what: 'number' }, 'note', 'edits[0].what', /takes no numbers/],
      [{ what: 'date', to: '2027-01-01' }, 'end_on', 'edits[0].from', /first and the last day/],
      [{ what: 'date', from: '2027-01-01', to: '2026-01-01' }, 'end_on', 'edits[0].to', /before the first/],
      [{ what: 'date', from: 'soon', to: '2026-01-01' }, 'end_on', 'edits[0].from', /is a date such as/],
      [{ what: 'number', from: 9, to: 1 }, 'hives', 'edits[0].to', /below the least/],
      [{ what: 'number', from: 'x' }, 'hives', 'edits[0].from', /no number/],
      [{ what: 'words', to: 900 }, 'note', 'edits[0].to', /from 1 to 40/],
      [{ what: 'choice' }, 'note', 'edits[0].among', /no choices/],
      [{ what: 'choice', among: [{ to: 'north', weight: 0 }] }, 'valley', 'edits[0].among', /come to nothing/],
    ])('not %j into %s', async (edit, field, where, message) => {
      const edits = [{ kind: 'invent', field, ...edit } as EditBody];
      const details = await refusedWith(w.admin.makePreview({ selection: { type: 'bookings' }, edits }));
      expect(details.problems).toMatchObject([{ where, message: expect.stringMatching(message) }]);
    });

    it('as anybody can work out who knows the seed', async () => {
      const made = await invented({ what: 'number', from: 1, to: 1000, seed: 's', alike: 'record' }, 'hives');
      const { rows } = await w.sql.query<{ id: number }>('select id from bookings where site is not null order by id');
      const expected = rows.map(({ id }) => {
        const hex = createHash('sha256').update(`s\nnumber\n${id}`).digest('hex');
        return String((BigInt(`0x${hex.slice(0, 15)}`) % 1000n) + 1n);
      });
      const old = made.map((r) => r.old);
      // What a rule does not allow stays.
      expect(made.filter((r, i) => r.now !== expected[i] && r.now !== old[i])).toEqual([]);
      expect(made.filter((r, i) => r.now === expected[i]).length).toBeGreaterThan(200);
    });
  });

  it('of lists: entries go in once and come out, in their order', async () => {
    const tags = async (): Promise<string[][]> =>
      (await w.sql.query('select tags from growers order by id limit 400')).rows.map((r) => r.tags as string[]);
    const selection = { type: 'growers', filter: 'id <= 400' };
    const before = await tags();
    const added = await done(w.admin, {
      selection,
      edits: [{ kind: 'add', field: 'tags', entries: ['steep', 'visited'] }],
    });
    expect(await tags()).toEqual(before.map((t) => [...t, ...['steep', 'visited'].filter((e) => !t.includes(e))]));
    const removed = await done(w.admin, { selection, edits: [{ kind: 'remove', field: 'tags', entries: ['steep'] }] });
    expect((await tags()).flat()).not.toContain('steep');
    for (const run of [removed, added])
      await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: run.totals.changed });
    expect(await tags()).toEqual(before);
  });

  it('moments keep their clock when their day moves', async () => {
    const selection = { type: 'invoices', filter: 'paid_at IS NOT NULL' };
    await w.sql
      .query(`insert into invoices (id, number, grower, state, dunning_level, net, vat, issued_on, due_on, paid_at)
      values (1, 'N-1', 1, 'paid', 0, 1, 0, '2026-03-01', '2026-03-20', '2026-03-28 12:30:15.25')`);
    await done(w.admin, { selection, edits: [{ kind: 'shift', field: 'paid_at', by: 1 }] });
    const { rows } = await w.sql.query(`select paid_at::text from invoices where number = 'N-1'`);
    expect(rows[0].paid_at).toMatch(/^2026-03-29 12:30:15.25/);
  });

  describe('what cannot be is told of each record', () => {
    const bookings = async (edit: EditBody, filter = 'TRUE') => {
      const p = await previewed(w.admin, { selection: { type: 'bookings', filter }, edits: [edit] });
      return { totals: p.totals, causes: p.causes };
    };

    it('division by zero in some only', async () => {
      const { causes, totals } = await bookings(
        { kind: 'compute', field: 'note', formula: '100 / (hives - 23)' },
        'site IS NOT NULL',
      );
      expect(causes).toEqual([{ cause: 'Note: division by zero.', count: totals.not_allowed }]);
      const { rows } = await w.sql.query(
        'select count(*)::int as n from bookings where hives = 23 and site is not null',
      );
      expect(totals.not_allowed).toBe(rows[0].n);
    });

    it('a blank, a text that is no number, a number that is not whole or too great, a text too long', async () => {
      const cases: [EditBody, RegExp][] = [
        [{ kind: 'compute', field: 'hives', formula: 'site * 0 + 1' }, /^Hives: site is blank\.$/],
        [{ kind: 'compute', field: 'hives', formula: 'VALUE(reference)' }, /^Hives: the text is no number\.$/],
        [{ kind: 'compute', field: 'hives', formula: 'hives / 2' }, /Hives is a whole number; … is not/],
        [
          { kind: 'compute', field: 'hives', formula: 'hives * 1000000000' },
          /from -2147483648 to 2147483647; … is beyond/,
        ],
        [
          { kind: 'set', field: 'region', value: '{reference}{reference}{reference}{reference}{reference}' },
          /Region takes 40 characters; this has 45/,
        ],
        [
          { kind: 'compute', field: 'status', formula: 'note' },
          /Status has no choice “.*”; the choices are Draft|^Status: note is blank/,
        ],
        [{ kind: 'compute', field: 'owner', formula: 'reference' }, /^Staff: none is called “…”/],
        [
          { kind: 'map', field: 'note', from: 'crop', pairs: [{ old: 'clover', new: 'x' }], rest: 'refuse' },
          /^Note: “…” is not in the map\.$/,
        ],
        [
          { kind: 'map', field: 'note', from: 'hives', ranges: [{ below: 30, new: 'x' }], rest: 'refuse' },
          /^Note: Hives lies in none of the ranges\.$/,
        ],
        [{ kind: 'number', field: 'note', start: 98, width: 2 }, /^Note: The number has more than the 2 digits/],
      ];
      for (const [edit, cause] of cases) {
        const { causes } = await bookings(edit);
        expect([edit, causes.map((c) => c.cause)]).toEqual([
          edit,
          expect.arrayContaining([expect.stringMatching(cause)]),
        ]);
      }
    });

    it('two people of one name are told, not guessed between', async () => {
      const { rows } = await w.sql.query('select name from staff group by name having count(*) > 1');
      const formula = `IF(hives > 0, '${rows[0].name}', '')`;
      const { causes } = await bookings({ kind: 'compute', field: 'owner', formula });
      expect(causes[0]!.cause).toBe(`Owner: 2 staff are called “${rows[0].name}”.`.replace('Owner: ', ''));
    });
  });

  describe('what is wrong is refused, with its place', () => {
    it.each<[EditBody, string, RegExp]>([
      [
        { kind: 'compute', field: 'hives', formula: 'note' },
        'edits[0].formula',
        /Hives is a number, but “note” is a text/,
      ],
      [{ kind: 'compute', field: 'hives', formula: 'hives +' }, 'edits[0].formula', /./],
      [{ kind: 'compute', field: 'total', formula: '1' }, 'edits[0].field', /works it out/],
      [{ kind: 'set', field: 'note', value: 'a {crop' }, 'edits[0].value', /never closed/],
      [{ kind: 'set', field: 'note', value: 'a {crops}' }, 'edits[0].value', /no field “crops”/],
      [
        { kind: 'set', field: 'note', value: 'x', where: 'hives' },
        'edits[0].where',
        /must say what it is compared with/,
      ],
      [{ kind: 'copy', field: 'note', from: 'note' }, 'edits[0].from', /another field/],
      [{ kind: 'move', field: 'note', from: 'grower.note' }, 'edits[0].from', /copied/],
      [{ kind: 'move', field: 'note', from: 'status' }, 'edits[0].field', /required/],
      [{ kind: 'replace', field: 'hives', find: '1', with: '2' }, 'edits[0].field', /no free text/],
      [
        {
          kind: 'map',
          field: 'valley',
          pairs: [
            { old: 'north', new: 'south' },
            { old: 'North', new: 'east' },
          ],
        },
        'edits[0].pairs[1].old',
        /mapped twice, in line 1 and in line 2/,
      ],
      [
        {
          kind: 'map',
          field: 'owner',
          pairs: [
            { old: '1', new: '2' },
            { old: 'Ines Calloway', new: '3' },
          ],
        },
        'edits',
        /about the same record/,
      ],
      [{ kind: 'map', field: 'valley', pairs: [{ old: 'nort', new: 'south' }] }, 'edits[0].pairs[0].old', /no choice/],
      [
        {
          kind: 'map',
          field: 'note',
          from: 'price_per_hive',
          pairs: [
            { old: '48.6', new: 'a' },
            { old: '48.60', new: 'b' },
          ],
        },
        'edits[0].pairs[1].old',
        /mapped twice/,
      ],
      [{ kind: 'map', field: 'valley' }, 'edits[0].pairs', /pairs/],
      [{ kind: 'shift', field: 'hives', next: 'monday' }, 'edits[0].next', /of dates/],
      [{ kind: 'shift', field: 'start_on', by: '1.5' }, 'edits[0].by', /whole days/],
      [{ kind: 'shift', field: 'hives' }, 'edits[0].by', /missing/],
      [
        { kind: 'split', field: 'owner', among: [{ to: 'Ines Calloway', weight: 0 }] },
        'edits[0].among',
        /come to nothing/,
      ],
      [
        { kind: 'split', field: 'owner', among: [{ to: '1', weight: 1e308 }] },
        'edits[0].among[0].weight',
        /from 0 to 1,000,000,000/,
      ],
      [{ kind: 'split', field: 'owner', among: [{ to: 'Nobody' }] }, 'edits[0].among[0].to', /none is called/],
      [{ kind: 'split', field: 'owner', among: [{ to: '1' }, { to: '1' }] }, 'edits[0].among[1].to', /twice/],
      [{ kind: 'number', field: 'status' }, 'edits[0].field', /no running numbers/],
      [{ kind: 'number', field: 'hives', goOn: true, step: -1 }, 'edits[0].step', /goes up/],
      [{ kind: 'number', field: 'note', goOn: true, prefix: '{new(note)}' }, 'edits[0].prefix', /only the formulas/],
      [{ kind: 'compute', field: 'hives', formula: 'new(hives) + 1' }, 'edits', /worked out from itself/],
      [{ kind: 'compute', field: 'hives', formula: 'LEN(new(note))' }, 'edits', /just note/],
      [{ kind: 'compute', field: 'hives', formula: 'new(grower.id)' }, 'edits[0].formula', /of the record itself/],
      [{ kind: 'copy', field: 'note', from: 'name', of: 'growers' }, 'edits[0].record', /which record/],
      [{ kind: 'copy', field: 'note', from: 'name', of: 'growers', record: 'Nobody' }, 'edits[0].record', /none is/],
      [
        { kind: 'split', field: 'owner', among: [{ to: '1' }], level: [{ type: 'growers' }] },
        'edits[0].level[0].field',
        /which field/,
      ],
      [
        { kind: 'split', field: 'owner', among: [{ to: '1' }], level: [{ type: 'growers', field: 'name' }] },
        'edits[0].level[0].field',
        /holds no owner/,
      ],
      [{ kind: 'split', field: 'owner', among: [{ to: '1', weight: 2 }], level: [{}] }, 'edits[0].level', /no weights/],
      [
        { kind: 'split', field: 'owner', among: [{ to: '1' }, { to: 'Ines Calloway' }], level: [{}] },
        'edits',
        /are the same record/,
      ],
      [{ kind: 'number', field: 'hives', prefix: 'x' }, 'edits[0].prefix', /no prefix/],
      [{ kind: 'add', field: 'note', entries: ['a, b'] }, 'edits[0].entries[0]', /separator/],
      [{ kind: 'tidy', field: 'note', how: ['phone'], country: 'de' }, 'edits[0].country', /digits/],
    ])('%j', async (edit, where, message) => {
      const details = await refusedWith(w.admin.makePreview({ selection: { type: 'bookings' }, edits: [edit] }));
      expect(details.problems).toMatchObject([{ where, message: expect.stringMatching(message) }]);
    });

    it('a split among nobody', async () => {
      const edit = { kind: 'split', field: 'owner', among: [] } as unknown as EditBody;
      expect(await refusedWith(w.admin.makePreview({ selection: { type: 'bookings' }, edits: [edit] }))).toMatchObject({
        status: 400,
      });
    });
  });
});
