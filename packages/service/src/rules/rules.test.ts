import type { RuleBody } from '@tantamos/contract';
import { done, previewed, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

const active: RuleBody = {
  name: 'active growers grow',
  type: 'growers',
  message: 'An active grower is no reseller.',
  where: "status = 'active'",
  holds: "kind <> 'reseller'",
  mend: [{ kind: 'set', field: 'kind', value: 'orchard' }],
};

describe('rules of the workspace', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());
  const one = async <T>(text: string): Promise<T> => (await w.sql.query<{ v: T }>(text)).rows[0]!.v;

  it('is off at first, counts who breaks it, and finds them', async () => {
    const saved = await w.admin.saveRule(active);
    expect(saved).toMatchObject({ isOn: false, broken: null, version: 1, trouble: null, fields: ['status', 'kind'] });
    expect(saved.words).toBe('where status is Active, kind is not Reseller');
    expect(saved.mendWords).toBe('set kind to Orchard');
    const broken = await one<number>(
      "select count(*)::int as v from growers where status = 'active' and kind = 'reseller'",
    );
    expect(broken).toBeGreaterThan(0);
    expect(await w.admin.countRule(active.name)).toMatchObject({ broken });
    const found = await w.editor.search('growers', {
      filter: "breaks_rule('Active growers grow')",
      limit: 1,
      count: 'exact',
    });
    expect(found.numberMatched).toBe(broken);
    const all = await w.editor.rules({ type: 'growers' });
    expect(all.map((r) => [r.name, r.source]).slice(0, 1)).toEqual([[active.name, 'own']]);
  });

  it('holds from when it is switched on: only edits that touch its fields are stopped, and say why', async () => {
    const key = await one<string>(
      "select id::text as v from growers where status = 'active' and kind = 'reseller' order by id limit 1",
    );
    const set = (field: string, value: string) => ({
      selection: { type: 'growers', keys: [key] },
      edits: [{ kind: 'set' as const, field, value }],
      safety: { pace: 100 },
    });
    const orchard = { selection: { type: 'growers', keys: [key] }, safety: { pace: 100 } };
    const reseller = {
      ...orchard,
      selection: { type: 'growers', filter: "status = 'active' AND kind = 'orchard' AND id < 100" },
      edits: [{ kind: 'set' as const, field: 'kind', value: 'reseller' }],
    };
    const many = (await previewed(w.editor, reseller)).totals.will_change;
    expect(many).toBeGreaterThan(5);
    await w.admin.switchRule(active.name, { isOn: true });
    const stopped = await previewed(w.editor, reseller);
    expect(stopped.totals).toMatchObject({ will_change: 0, not_allowed: many });
    expect(stopped.causes).toEqual([
      expect.objectContaining({ cause: 'An active grower is no reseller.', count: many }),
    ]);
    // It broke the rule before: other fields, and what puts it right, are free.
    expect((await previewed(w.editor, set('note', 'a word'))).totals.will_change).toBe(1);
    expect((await previewed(w.editor, set('status', 'dormant'))).totals.will_change).toBe(1);
    expect((await previewed(w.editor, set('kind', 'nursery'))).totals.will_change).toBe(1);
    // What it is already is no change.
    expect((await previewed(w.editor, set('kind', 'reseller'))).totals.already_right).toBe(1);
  });

  it('mends what breaks it, and shows how many fewer there are, by day', async () => {
    const before = (await w.admin.countRule(active.name)).broken!;
    await w.sql.query(`update tantamos.rule_count set day = day - 1`);
    const run = await done(w.admin, {
      selection: { type: 'growers', filter: `breaks_rule('${active.name}')` },
      edits: [...active.mend!],
      safety: { pace: 100 },
    });
    expect(run.totals.changed).toBe(before);
    expect(run.sentence).toContain('it breaks the rule “active growers grow”');
    const after = await w.admin.countRule(active.name);
    expect(after.counts.map((c) => c.broken)).toEqual([before, 0]);
  });

  it('lets a field become only what the table of transitions allows', async () => {
    await w.admin.saveRule({
      name: 'ways of a booking',
      type: 'bookings',
      message: 'A booking goes from draft to confirmed, and never back.',
      transitions: {
        field: 'status',
        allowed: [
          { from: 'draft', to: ['Confirmed'] },
          { from: 'confirmed', to: [] },
        ],
      },
      isOn: true,
    });
    const statuses = async (to: string) => {
      const p = await previewed(w.editor, {
        selection: { type: 'bookings', filter: "status IN ('draft', 'confirmed') AND id < 400" },
        edits: [{ kind: 'set', field: 'status', value: to }],
      });
      return [p.totals.will_change, p.totals.already_right, p.totals.not_allowed];
    };
    const count = (status: string) =>
      one<number>(`select count(*)::int as v from bookings where status = '${status}' and id < 400`);
    const [drafts, confirmed] = [await count('draft'), await count('confirmed')];
    expect(await statuses('draft')).toEqual([0, drafts, confirmed]);
    const [will, right, not] = await statuses('confirmed');
    expect([right, will! + not!]).toEqual([confirmed, drafts]);
    expect(will).toBeGreaterThan(0);
    expect(await refusedWith(w.admin.countRule('ways of a booking'))).toMatchObject({ code: 'bad_value' });
  });

  it('asks of a change what it was before: old(field)', async () => {
    const saved = await w.admin.saveRule({
      name: 'hives only grow',
      type: 'bookings',
      message: 'Hives only grow.',
      where: "status = 'confirmed'",
      holds: 'hives >= old(hives) OR old(hives) IS NULL',
      isOn: true,
    });
    expect(saved).toMatchObject({ ofChange: true, fields: ['status', 'hives'] });
    expect(saved.words).toContain('hives is at least old hives');
    const p = await previewed(w.editor, {
      selection: { type: 'bookings', filter: "status = 'confirmed' AND id < 600" },
      edits: [{ kind: 'set', field: 'hives', value: 40 }],
    });
    const fewer = await one<number>(
      "select count(*)::int as v from bookings where status = 'confirmed' and id < 600 and hives > 40",
    );
    expect(fewer).toBeGreaterThan(0);
    expect(p.causes).toEqual([expect.objectContaining({ cause: 'Hives only grow.', count: fewer })]);
    expect((await refusedWith(w.admin.search('bookings', { filter: 'old(hives) > 1' }))).detail).toContain(
      'only rules',
    );
    await w.admin.dropRule('hives only grow');
  });

  it('narrows the choices of one field by another', async () => {
    await w.admin.saveRule({
      name: 'crops of the north',
      type: 'bookings',
      message: 'In the north there are apples only.',
      choices: { field: 'crop', by: 'valley', allowed: [{ from: 'north', to: ['apple'] }] },
      isOn: true,
    });
    const p = await previewed(w.editor, {
      selection: { type: 'bookings', filter: "valley = 'north' AND id < 500" },
      edits: [{ kind: 'set', field: 'crop', value: 'cherry' }],
    });
    const other = await one<number>(
      "select count(*)::int as v from bookings where valley = 'north' and id < 500 and crop is distinct from 'cherry'",
    );
    expect(p.causes).toEqual([expect.objectContaining({ cause: 'In the north there are apples only.', count: other })]);
    await w.admin.dropRule('crops of the north');
  });

  it('asks a rule that follows a reference of what the record becomes', async () => {
    await w.admin.saveRule({
      name: 'owners are active',
      type: 'growers',
      message: 'Who answers for a grower is active.',
      holds: 'owner.active = true',
      isOn: true,
    });
    const inactive = await one<string>('select id::text as v from staff where active = false order by id limit 1');
    const p = await previewed(w.editor, {
      selection: { type: 'growers', filter: 'id < 50' },
      edits: [{ kind: 'set', field: 'owner', value: inactive }],
    });
    expect(p.totals.will_change).toBe(0);
    expect(p.causes[0]!.cause).toBe('Who answers for a grower is active.');
    await w.admin.dropRule('owners are active');
  });

  it('is marked when a field of it has gone, says so in previews, and stops nothing silently', async () => {
    await w.sql.query('alter table growers add column odd text');
    w.services.catalogs.refresh();
    await w.admin.saveRule({
      name: 'odd',
      type: 'growers',
      message: 'Never odd.',
      holds: "odd IS NULL AND note <> 'x'",
      isOn: true,
    });
    await w.sql.query('alter table growers drop column odd');
    w.services.catalogs.refresh();
    expect(await w.admin.rule('odd')).toMatchObject({ isOn: true, trouble: expect.stringContaining('odd') as string });
    const p = await previewed(w.editor, {
      selection: { type: 'growers', keys: ['1'] },
      edits: [{ kind: 'set', field: 'note', value: 'x' }],
    });
    expect(p.totals.will_change).toBe(1);
    expect(p.notes.map((n) => n.code)).toContain('rule_in_trouble');
    await w.admin.dropRule('odd');
  });

  it.each<[string, Partial<RuleBody>, string]>([
    ['nothing that holds', { holds: undefined }, 'holds'],
    ['two ways at once', { transitions: { field: 'status', allowed: [{ from: 'active', to: [] }] } }, 'holds'],
    ['a field there is not', { holds: "knd = 'x'" }, 'holds'],
    ['a condition about nothing there is', { where: "status = 'nowhere'" }, 'where'],
    ['a saved selection', { holds: "in_selection('x')" }, 'holds'],
    ['another rule', { holds: "breaks_rule('x')" }, 'holds'],
    ['me()', { holds: 'owner = me()' }, 'holds'],
    ['a mend of a field there is not', { mend: [{ kind: 'clear', field: 'knd' }] }, 'mend[0]'],
    ['a name of quotes', { name: "it's" }, 'name'],
  ])('refuses %s', async (_, wrong, where) => {
    const answer = await refusedWith(w.admin.saveRule({ ...active, name: 'wrong', ...wrong }));
    expect(answer.status).toBeLessThan(500);
    expect(answer.problems[0]!.where).toContain(where);
    expect((await w.admin.rules({})).map((r) => r.name)).not.toContain('wrong');
  });

  it('asks of records that the person may not see, and their runs are true all the same', async () => {
    const line = await w.admin.addRight({
      login: 'piers',
      effect: 'deny',
      acts: ['see'],
      types: ['growers'],
      filter: "valley = 'south'",
    });
    const saved: RuleBody = {
      name: 'growers have a name',
      type: 'bookings',
      message: 'The grower has a name.',
      holds: 'grower.name IS NOT NULL AND note IS NOT NULL',
      isOn: true,
    };
    await w.admin.saveRule(saved);
    const run = await done(w.editor, {
      selection: { type: 'bookings', filter: 'id < 200' },
      edits: [{ kind: 'set', field: 'note', value: 'seen or not' }],
      safety: { pace: 100 },
    });
    expect(run.totals).toMatchObject({ changed: run.totals.matched, edited_since: 0 });
    const withheld = await one<number>(
      "select count(*)::int as v from bookings b join growers g on g.id = b.grower where b.id < 200 and g.valley = 'south' and b.note = 'seen or not'",
    );
    expect(withheld).toBeGreaterThan(0);
    await w.admin.dropRule(saved.name);
    await w.admin.dropRight(line.id);
  });

  it('keeps every version, and refuses a change made on an older one', async () => {
    const { version } = await w.admin.rule(active.name);
    await w.admin.saveRule({ ...active, message: 'Existing, please.', version });
    expect(await refusedWith(w.admin.saveRule({ ...active, version }))).toMatchObject({ code: 'stale_version' });
    expect(await refusedWith(w.admin.switchRule(active.name, { isOn: false, version }))).toMatchObject({
      code: 'stale_version',
    });
    const versions = await w.admin.ruleVersions(active.name);
    expect(versions.map((v) => [v.version, v.isOn])).toEqual([
      [3, true],
      [2, true],
      [1, false],
    ]);
  });

  it('is made by administrators alone', async () => {
    for (const answer of [
      await refusedWith(w.editor.saveRule({ ...active, name: 'mine' })),
      await refusedWith(w.editor.switchRule(active.name, { isOn: false })),
      await refusedWith(w.editor.dropRule(active.name)),
    ])
      expect(answer.status).toBe(403);
  });

  it('is counted once a day by itself', async () => {
    await w.sql.query('delete from tantamos.rule_count');
    expect(await w.services.rules.countDaily()).toBe(1);
    expect(await w.services.rules.countDaily()).toBe(0);
  });
});
