import type { JobBody } from '@tantamos/contract';
import { keysOfCause } from '@tantamos/client';
import { mended } from '@tantamos/core';
import { done, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

type EditBody = JobBody['edits'][number];

describe('a preview, complete', () => {
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace();
    await w.sql.query(`create table badges (id int primary key, code text unique, pin int unique, holder text);
      insert into badges select n, 'C' || n, n, case when n % 3 > 0 then 'holder ' || n end from generate_series(1, 30) n`);
    w.services.catalogs.refresh();
  });
  afterAll(() => w.close());

  const of = (type: string, filter: string | undefined, ...edits: EditBody[]) =>
    previewed(w.admin, {
      selection: { type, ...(filter === undefined ? {} : { filter }) },
      edits,
      safety: { pace: 100 },
    });
  const codes = async (...made: Parameters<typeof of>): Promise<string[]> =>
    (await of(...made)).notes.map((n) => n.code);

  describe('says what to know before it is started', () => {
    it('that it is every record of the type', async () => {
      const edit: EditBody = { kind: 'set', field: 'note', value: 'Seen.' };
      const all = await of('bookings', undefined, edit);
      expect(all.notes).toMatchObject([
        {
          code: 'all_records',
          message: 'These are all bookings there are: nothing narrows them.',
          look: { at: 'selection' },
        },
      ]);
      expect(await codes('bookings', 'hives > 3', edit)).toEqual([]);
    });

    it('that people who left would get records; a setting says which field tells', async () => {
      await w.sql.query('update staff set active = false where id in (3, 4)');
      const one = await of('growers', 'id < 50', { kind: 'set', field: 'owner', value: '3' });
      expect(one.notes).toContainEqual(
        expect.objectContaining({
          code: 'inactive',
          message: `Marta Quill is not active any more, and would come to stand as owner of ${one.totals.will_change} records.`,
        }),
      );
      const split: EditBody = {
        kind: 'split',
        field: 'owner',
        among: [{ to: '1' }, { to: '3' }, { to: '4' }],
      };
      const two = await of('growers', 'id < 50', split);
      expect(two.notes.find((n) => n.code === 'inactive')).toMatchObject({ count: 2 });
      expect((await w.admin.setType('sites', { activeField: null })).activeField).toBeNull();
      expect(await refusedWith(w.admin.setType('staff', { activeField: 'name' }))).toMatchObject({
        problems: [{ where: 'activeField', message: expect.stringContaining('not yes or no') }],
      });
      await w.sql.query('update staff set active = true where id in (3, 4)');
      expect((await of('growers', 'id < 50', split)).notes.map((n) => n.code)).not.toContain('inactive');
    });

    it('that people who left may not be chosen, where a setting says so; seen or not', async () => {
      await w.sql.query('update staff set active = false where id = 3');
      expect((await w.admin.setType('staff', { refusesInactive: true })).refusesInactive).toBe(true);
      const split: EditBody = { kind: 'split', field: 'owner', among: [{ to: '1' }, { to: '3' }] };
      const p = await of('growers', 'id < 50', split);
      const { rows } = await w.sql.query(
        'select count(*)::int as n from growers where id < 50 and owner is distinct from 3',
      );
      expect(p.totals.not_allowed).toBeGreaterThan(10);
      expect(p.totals.not_allowed).toBeLessThanOrEqual(rows[0].n);
      expect(p.causes).toEqual([{ cause: 'Owner: Marta Quill is not active any more.', count: p.totals.not_allowed }]);
      expect(p.notes.map((n) => n.code)).not.toContain('inactive');
      // Who is theirs already may stay so, and who may not see the field is refused as well.
      const kept = await of('growers', 'owner = 3', { kind: 'set', field: 'note', value: 'kept' });
      expect(kept.totals.not_allowed).toBe(0);
      await w.admin.setField('staff', 'active', { hidden: true });
      expect((await of('growers', 'id < 50', split)).causes).toMatchObject([{ count: p.totals.not_allowed }]);
      await w.admin.setField('staff', 'active', { hidden: false });
      await w.admin.setType('staff', { refusesInactive: false });
      await w.sql.query('update staff set active = true where id = 3');
    });

    it('how many come to what is meant for all others only because something asked is blank', async () => {
      const { rows } = await w.sql.query(
        `select (count(*) filter (where region is null or region = ''))::int as blank, (count(*) filter (where region is null))::int as none
         from bookings where id < 2000`,
      );
      const [{ blank, none }] = rows as [{ blank: number; none: number }];
      const map: EditBody = {
        kind: 'map',
        field: 'note',
        from: 'region',
        pairs: [{ old: 'North', new: 'up' }],
        otherwise: 'elsewhere',
      };
      const mapped = await of('bookings', 'id < 2000', map);
      const note = mapped.notes.find((n) => n.code === 'blank_otherwise')!;
      expect(note).toMatchObject({ count: blank, mend: { words: 'Leave them as they are' } });
      const mendedJob = mended(mapped.job!, note.mend!) as JobBody;
      const left = await previewed(w.admin, mendedJob);
      expect(left.notes.map((n) => n.code)).not.toContain('blank_otherwise');
      expect(left.totals.already_right).toBeGreaterThanOrEqual(blank);

      const asked = await of('bookings', 'id < 2000', {
        kind: 'compute',
        field: 'note',
        formula: "IF(region = 'North', 'up', 'elsewhere')",
      });
      expect(asked.notes.find((n) => n.code === 'blank_otherwise')).toMatchObject({ count: none });
      const only = await of('bookings', 'id < 2000', {
        kind: 'set',
        field: 'note',
        value: 'far',
        where: "region <> 'North'",
      });
      const condition = only.notes.find((n) => n.code === 'blank_otherwise')!;
      expect(condition).toMatchObject({
        count: none,
        message: expect.stringContaining('what the condition of note asks is blank'),
      });
      const taken = await previewed(w.admin, mended(only.job!, condition.mend!) as JobBody);
      expect(taken.totals.will_change).toBe(only.totals.will_change + none);
    });

    it('that a saved selection asks for the field; to who may see it', async () => {
      await w.admin.saveSelection({ name: 'in Tall Valley', selection: { type: 'sites', filter: "valley = 'north'" } });
      const edit: EditBody = { kind: 'set', field: 'valley', value: 'south' };
      const p = await of('sites', 'id < 9', edit);
      expect(p.notes).toContainEqual(
        expect.objectContaining({ code: 'field_used', count: 1, examples: ['in Tall Valley'] }),
      );
      const theirs = await previewed(w.editor, { selection: { type: 'sites', filter: 'id < 9' }, edits: [edit] });
      expect(theirs.notes.map((n) => n.code)).not.toContain('field_used');
      // A selection that is mine alone is named to nobody else who looks at the preview.
      expect((await w.editor.preview(p.id)).notes.map((n) => n.code)).not.toContain('field_used');
      await w.admin.dropSelection('in Tall Valley');
    });

    it('that one’s own record is among them, and how to leave it out', async () => {
      const { person } = await w.admin.me();
      expect(person).not.toBeNull();
      const edit: EditBody = { kind: 'set', field: 'role', value: 'sales' };
      const job: JobBody = { selection: { type: 'staff', filter: 'id > 0' }, edits: [edit], writeAgain: true };
      const p = await previewed(w.admin, job);
      const { mend } = p.notes.find((n) => n.code === 'own_record')!;
      const next = await previewed(w.admin, { ...mended(job, mend!), after: p.id });
      expect(next.totals.matched).toBe(p.totals.matched - 1);
      expect(next.notes.map((n) => n.code)).not.toContain('own_record');
      expect(next.after).toBe(p.id);
    });

    it('and what they offer mends the job', async () => {
      const job: JobBody = {
        selection: { type: 'bookings', filter: 'id < 100' },
        edits: [
          { kind: 'set', field: 'region', value: 'Northen Hills' },
          { kind: 'set', field: 'note', value: '=grower.note', where: 'hives > 3' },
        ],
      };
      const p = await previewed(w.admin, job);
      const mends = p.notes.flatMap((n) => n.mend ?? []);
      expect(mends.map((m) => m.words)).toEqual(['Work it out', 'Write “Northern Hills” instead']);
      const next = mends.reduce((now, mend) => mended(now, mend), job);
      expect(next.edits).toEqual([
        { kind: 'set', field: 'region', value: 'Northern Hills' },
        { kind: 'compute', field: 'note', formula: 'grower.note', where: 'hives > 3' },
      ]);
      expect((await previewed(w.admin, next)).notes.flatMap((n) => n.mend ?? [])).toEqual([]);
    });

    it('that the filter asks for what is changed', async () => {
      const p = await of('bookings', "status = 'draft' AND grower.status = 'active'", {
        kind: 'set',
        field: 'status',
        value: 'placed',
      });
      expect(p.notes).toMatchObject([
        { code: 'filter_edited', message: expect.stringContaining('asks for status, which') },
      ]);
      // Another type's field of that name is not the one.
      expect(
        await codes('bookings', "grower.status = 'active'", { kind: 'set', field: 'status', value: 'placed' }),
      ).toEqual([]);
    });

    it('that nothing would change, and that much is not allowed', async () => {
      const same = await of('bookings', "status = 'placed' AND hives > 3", {
        kind: 'set',
        field: 'status',
        value: 'placed',
      });
      expect(same.notes).toContainEqual(
        expect.objectContaining({ message: 'Nothing would change: every record has these values already.' }),
      );
      const many = await of('bookings', 'id < 100', { kind: 'compute', field: 'hives', formula: 'hives / 2' });
      expect(many.notes).toContainEqual(
        expect.objectContaining({
          code: 'many_not_allowed',
          look: { words: 'Look at them', at: 'not_allowed' },
          message: expect.stringMatching(/^\d+ of 99 \(\d+ %\) are not allowed/),
        }),
      );
    });

    it('that a value is nearly one that occurs, and a formula in braces is no literal', async () => {
      const near = await of('bookings', 'id < 100', { kind: 'set', field: 'region', value: 'Northen Hills' });
      expect(near.notes).toMatchObject([
        { code: 'new_value', message: expect.stringContaining('the nearest that does is “Northern Hills”') },
      ]);
      expect(await codes('bookings', 'id < 100', { kind: 'set', field: 'region', value: 'Northern Hills' })).toEqual(
        [],
      );
      expect(await codes('bookings', 'id < 100', { kind: 'set', field: 'region', value: 'Overseas' })).toEqual([]);
      expect(await codes('bookings', 'id < 100', { kind: 'set', field: 'note', value: '{grower.note}' })).not.toContain(
        'reads_like',
      );
      expect(await codes('bookings', 'id < 100', { kind: 'set', field: 'note', value: 'grower.note' })).toContain(
        'reads_like',
      );
    });
  });

  it('says what the values come to before and after', async () => {
    const where = "status = 'draft' AND valley = 'north' AND site IS NOT NULL";
    const p = await of(
      'bookings',
      where,
      { kind: 'shift', field: 'hives', percent: 100 },
      { kind: 'shift', field: 'end_on', by: 10 },
      { kind: 'fill', field: 'region', value: 'Northern Hills' },
      { kind: 'clear', field: 'note' },
    );
    const { rows } = await w.sql
      .query(`select count(*)::int as n, sum(hives)::text as hives, min(hives)::text as low, max(hives)::text as high,
        min(end_on)::text as first, max(end_on + 10)::text as last,
        (count(*) filter (where coalesce(region, '') = ''))::int as blank, (count(*) filter (where note <> ''))::int as noted
      from bookings where ${where}`);
    const [{ n, hives, low, high, first, last, blank, noted }] = rows as [Record<string, string | number>];
    expect(p.figures.map(({ field, changed, filled, emptied }) => [field, changed, filled, emptied])).toEqual([
      ['hives', n, 0, 0],
      ['end_on', n, 0, 0],
      ['region', blank, blank, 0],
      ['note', noted, 0, noted],
    ]);
    expect(p.figures[0]).toMatchObject({
      before: { low, high, sum: hives },
      after: { sum: String(2 * Number(hives)), low: String(2 * Number(low)), high: String(2 * Number(high)) },
    });
    expect(p.figures[1]).toMatchObject({ before: { low: first }, after: { high: last, sum: null } });
    expect(p.figures[2]).toMatchObject({ longest: 'Northern Hills'.length });
    expect(p.loads).toEqual([]);
  });

  it('picks out what is worth a look, by what becomes of one field', async () => {
    const p = await of(
      'bookings',
      'id < 3000 AND site IS NOT NULL',
      { kind: 'compute', field: 'hives', formula: 'hives + MOD(id, 7) * MOD(id, 11)' },
      {
        kind: 'map',
        field: 'note',
        from: 'valley',
        pairs: [
          { old: 'north', new: 'up' },
          { old: 'south', new: 'a longer one' },
        ],
      },
      { kind: 'clear', field: 'region', where: 'hives > 100' },
    );
    const look = async (pick: 'spread' | 'largest' | 'longest' | 'emptied', field?: string, limit?: number) =>
      (await w.admin.previewRecords(p.id, { pick, field, limit })).records.map((r) => ({
        key: Number(r.key),
        ...r.changes.find((c) => c.field === (field ?? 'hives'))!,
      }));
    const spread = await look('spread', 'note', 500);
    const pairs = p.pairs.filter((pair) => pair.field === 'note');
    expect(new Set(spread.map((r) => `${r.old.value} → ${r.new.value}`)).size).toBe(spread.length);
    expect(spread).toHaveLength(pairs.length);
    const largest = (await look('largest', undefined, 5)).map((r) => Number(r.new.value) - Number(r.old.value));
    const { rows } = await w.sql.query(
      'select (id % 7) * (id % 11) as by from bookings where id < 3000 and site is not null order by 1 desc limit 5',
    );
    expect(largest).toEqual(rows.map((r) => r.by));
    expect((await look('longest', 'note', 3)).map((r) => r.new.value)).toEqual(Array(3).fill('a longer one'));
    const emptied = await look('emptied', 'region', 500);
    expect(emptied.length).toBe(p.figures.find((f) => f.field === 'region')!.emptied);
    expect(emptied.every((r) => r.new.value === null)).toBe(true);
    expect(await refusedWith(w.admin.previewRecords(p.id, { pick: 'largest', field: 'note' }))).toMatchObject({
      problems: [{ where: 'field', message: expect.stringContaining('no size') }],
    });
    expect(await refusedWith(w.admin.previewRecords(p.id, { pick: 'spread', field: 'owner' }))).toMatchObject({
      problems: [{ where: 'field', suggestions: ['hives', 'note', 'region'] }],
    });
    await w.admin.setField('bookings', 'note', { hidden: true });
    expect(await refusedWith(w.admin.previewRecords(p.id, { pick: 'spread', field: 'note' }))).toMatchObject({
      problems: [{ suggestions: ['hives', 'region'] }],
    });
    await w.admin.setField('bookings', 'note', { hidden: false });
  });

  it('says what differs from the preview before', async () => {
    const job = (filter: string, note: string): JobBody => ({
      selection: { type: 'bookings', filter },
      edits: [
        { kind: 'set', field: 'note', value: note },
        { kind: 'shift', field: 'hives', by: 1 },
      ],
    });
    const only = "site IS NOT NULL AND status = 'draft' AND";
    const before = await previewed(w.admin, job(`${only} id <= 1000`, '{crop}'));
    const now = await previewed(w.admin, {
      ...job(`${only} id > 200 AND id <= 1100`, "{IF(hives > 50, 'many', TEXT(crop))}"),
      after: before.id,
    });
    const count = async (where: string): Promise<number> =>
      (
        await w.sql.query<{ n: number }>(
          `select count(*)::int as n from bookings where site is not null and status = 'draft' and ${where}`,
        )
      ).rows[0]!.n;
    const d = await w.admin.previewDifferences(now.id, { with: now.after! });
    expect([d.more.count, d.fewer.count]).toEqual([await count('id > 1000 and id <= 1100'), await count('id <= 200')]);
    expect(d.otherwise.count + d.same).toBe(await count('id > 200 and id <= 1000'));
    expect(d.otherwise.count).toBeGreaterThanOrEqual(await count('id > 200 and id <= 1000 and hives > 50'));
    expect(d.otherwise.records[0]!.changes.find((c) => c.field === 'note')!.new.value).toBeDefined();
    const itself = await w.admin.previewDifferences(now.id, { with: now.id });
    expect([itself.more.count, itself.fewer.count, itself.otherwise.count]).toEqual([0, 0, 0]);
    const other = await of('sites', 'id < 9', { kind: 'set', field: 'valley', value: 'south' });
    expect(await refusedWith(w.admin.previewDifferences(now.id, { with: other.id }))).toMatchObject({ status: 400 });
    await w.admin.dropPreview(other.id);
    for (const half of [
      w.admin.previewRecords(other.id, { pick: 'spread' }),
      w.admin.previewDifferences(other.id, { with: other.id }),
    ])
      expect((await refusedWith(half)).code).toBe('not_ready');
    expect(
      await refusedWith(w.admin.makePreview({ ...job(only + ' id < 5', 'x'), after: crypto.randomUUID() })),
    ).toMatchObject({ status: 404 });
  });

  it('says what each owner has before and after, in all of the type', async () => {
    const p = await of('growers', 'owner = 2', { kind: 'split', field: 'owner', among: [{ to: '1' }, { to: '5' }] });
    const owned = async (id: number): Promise<number> =>
      (await w.sql.query(`select count(*)::int as n from growers where owner = ${id}`)).rows[0].n as number;
    const [{ people, label }] = p.loads as [(typeof p.loads)[number]];
    expect([label, people.map((x) => x.person.label).sort()]).toEqual([
      'Owner',
      ['Ines Calloway', 'Sorrel Haldane', 'Tobias Fenwick'],
    ]);
    for (const { person, before, after } of people) {
      expect(before).toBe(await owned(Number(person.value)));
      if (person.value === '2') expect(after).toBe(0);
    }
    await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    for (const { person, after } of people) expect(after).toBe(await owned(Number(person.value)));
  });

  it('counts one reason once, whatever the value of each record', async () => {
    const halved = await of('bookings', 'id < 200 AND site IS NOT NULL', {
      kind: 'compute',
      field: 'hives',
      formula: 'hives / 2',
    });
    expect(halved.causes).toEqual([
      { cause: 'Hives is a whole number; … is not. ROUND makes it one.', count: halved.totals.not_allowed },
    ]);
    const [first] = (await w.admin.previewRecords(halved.id, { outcome: 'not_allowed' })).records;
    expect(first!.cause).toMatch(/^Hives is a whole number; \d+\.5 is not/);
    // Each reason opens its records, page by page.
    const [{ cause, count }] = halved.causes as [{ cause: string; count: number }];
    const keys = await keysOfCause(w.admin, halved.id, cause);
    expect(new Set(keys).size).toBe(count);
    const one = await w.admin.previewRecords(halved.id, { cause: first!.cause!, limit: 500 });
    expect(one.records.every((r) => r.cause === first!.cause)).toBe(true);
    expect((await w.admin.previewRecords(halved.id, { cause: 'Another.' })).records).toEqual([]);
    const without = await previewed(w.admin, mended(halved.job!, { drop: keys }) as JobBody);
    expect(without.totals).toMatchObject({ not_allowed: 0, will_change: halved.totals.will_change });
    const map = await of('bookings', 'id < 200 AND site IS NOT NULL', {
      kind: 'map',
      field: 'note',
      from: 'crop',
      pairs: [{ old: 'clover', new: 'x' }],
      rest: 'refuse',
    });
    expect(map.causes).toEqual([{ cause: 'Note: “…” is not in the map.', count: map.totals.not_allowed }]);
  });

  it('does not say what was hidden from who looks', async () => {
    const p = await of('growers', 'id < 50', { kind: 'set', field: 'owner', value: '1' });
    await w.admin.setField('growers', 'owner', { hidden: true });
    try {
      const seen = await w.admin.preview(p.id);
      expect([seen.figures, seen.loads, seen.pairs]).toEqual([[], [], []]);
    } finally {
      await w.admin.setField('growers', 'owner', { hidden: false });
    }
  });

  describe('of values that may be there once', () => {
    it('two of the same set cannot get one', async () => {
      const p = await of('badges', 'id <= 4', { kind: 'set', field: 'code', value: 'same' });
      expect(p.totals).toMatchObject({ will_change: 0, not_allowed: 4 });
      expect(p.causes).toEqual([
        { cause: 'Code: “same” would be there 4 times; each value may be there once.', count: 4 },
      ]);
    });

    it('what a record that keeps its value has is taken', async () => {
      const p = await of('badges', 'id IN (1, 2)', {
        kind: 'map',
        field: 'code',
        pairs: [
          { old: 'C1', new: 'C7' },
          { old: 'C2', new: 'free' },
        ],
      });
      expect(p.totals).toMatchObject({ will_change: 1, not_allowed: 1 });
      expect(p.causes[0]!.cause).toBe('Code: “C7” is that of the one with the key 7 already.');
    });

    it('what a record of the set gives up is free; its own value is no clash', async () => {
      const free = await of('badges', 'id = 30', { kind: 'compute', field: 'pin', formula: 'pin + 1' });
      expect(free.totals).toMatchObject({ will_change: 1, not_allowed: 0 });
      const passed = await of('badges', 'id > 20', { kind: 'compute', field: 'pin', formula: 'pin + 1' });
      expect(passed.totals).toMatchObject({ will_change: 10, not_allowed: 0 });
      const last = await of('badges', 'id <= 20', { kind: 'compute', field: 'pin', formula: 'pin + 1' });
      expect(last.totals).toMatchObject({ will_change: 0, not_allowed: 20 });
      const holder = await of(
        'badges',
        undefined,
        { kind: 'fill', field: 'holder', value: 'nobody' },
        { kind: 'compute', field: 'code', formula: 'code' },
      );
      expect(holder.totals).toMatchObject({ will_change: 10, already_right: 20 });
    });

    it.each<[string, string | undefined, EditBody]>([
      ['the same for several', 'id <= 4', { kind: 'set', field: 'code', value: 'same' }],
      ['one that another keeps', 'id IN (1, 2)', { kind: 'put', field: 'code', values: { '1': 'C7', '2': 'C90' } }],
      ['one that another gives up', 'id > 20', { kind: 'compute', field: 'pin', formula: 'pin + 1' }],
      ['two that change places', 'id <= 2', { kind: 'put', field: 'pin', values: { '1': 2, '2': 1 } }],
      ['running codes', undefined, { kind: 'number', field: 'code', prefix: 'N-', order: ['-pin'] }],
    ])('counted while the job is composed as in its preview: %s', async (_, filter, edit) => {
      const job: JobBody = {
        selection: { type: 'badges', ...(filter === undefined ? {} : { filter }) },
        edits: [edit],
      };
      const { totals } = await previewed(w.admin, job);
      const sample = await w.admin.sample({ job, keys: ['1', '2', '21'] });
      expect(sample.counts).toEqual({
        willChange: totals.will_change,
        alreadyRight: totals.already_right,
        notAllowed: totals.not_allowed,
      });
      const { records } = await w.admin.previewRecords((await previewed(w.admin, job)).id, {});
      for (const row of sample.rows)
        expect(row).toMatchObject({ outcome: records.find((r) => r.key === row.key)!.outcome });
    });

    it('a running code for all of them is written, in order, whatever the batches', async () => {
      const run = await done(w.admin, {
        selection: { type: 'badges' },
        edits: [{ kind: 'number', field: 'code', prefix: 'B-', width: 3, order: ['-pin'] }],
        safety: { batchSize: 7, pace: 100 },
      });
      expect(run.totals).toMatchObject({ matched: 30, changed: 30 });
      const { rows } = await w.sql.query(
        `select count(*)::int as n from badges where code <> 'B-' || lpad((31 - pin)::text, 3, '0')`,
      );
      expect(rows[0].n).toBe(0);
    });
  });
});
