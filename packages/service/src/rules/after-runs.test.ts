import type { RuleBody } from '@tantamos/contract';
import { done, onBookings, ran, undone } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('rules after runs', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const active: RuleBody = {
    name: 'active growers grow',
    type: 'growers',
    message: 'An active grower is no reseller.',
    where: "status = 'active'",
    holds: "kind <> 'reseller'",
  };

  it('a count that a run may have changed is made again before it is shown, and says when it was made', async () => {
    await w.admin.saveRule(active);
    const before = await w.admin.countRule(active.name);
    expect(before).toMatchObject({ broken: 271, stale: false });
    // As old as a count is that was made a while ago.
    await w.sql.query(`update tantamos.rule_count set counted_at = counted_at - interval '1 minute'`);
    const run = await done(w.admin, {
      selection: { type: 'growers', filter: `breaks_rule('${active.name}')` },
      edits: [{ kind: 'set', field: 'kind', value: 'orchard' }],
      safety: { pace: 100 },
    });
    const after = (await w.admin.rules({ type: 'growers' })).find((r) => r.name === active.name)!;
    expect(after).toMatchObject({ broken: 0, stale: false });
    expect(Date.parse(after.countedAt!)).toBeGreaterThan(Date.parse(run.startedAt));
    // A run on other fields leaves the count as good as it is.
    const { countedAt } = after;
    await done(w.admin, {
      selection: { type: 'growers', keys: ['1'] },
      edits: [{ kind: 'set', field: 'note', value: 'other' }],
      safety: { pace: 100 },
    });
    expect((await w.admin.rule(active.name)).countedAt).toBe(countedAt);
    // An undo under the rule says how many records it returns to breaking it.
    await w.admin.switchRule(active.name, { isOn: true });
    const undo = await undone(w.admin, run.id);
    expect(undo.notes).toMatchObject([
      {
        code: 'rule_returns',
        count: 271,
        message: 'Growers: this undo returns 271 records to breaking a rule: An active grower is no reseller.',
      },
    ]);
    await ran(w.admin, undo.id, { askAfter: null, expect: 271 });
    await w.sql.query(`update tantamos.rule_count set counted_at = counted_at - interval '1 minute'`);
    expect(await w.admin.rule(active.name)).toMatchObject({ broken: 271, stale: false });
    await w.admin.dropRule(active.name);
  });

  it('an undo says how many of its changes a rule about changes forbids', async () => {
    const { rows } = await w.sql.query<{ id: number }>(
      `select id from bookings where status = 'draft' and site is not null order by id limit 3`,
    );
    const run = await done(
      w.admin,
      onBookings(
        rows.map((r) => r.id),
        [{ kind: 'set', field: 'status', value: 'confirmed' }],
      ),
    );
    expect(run.totals.changed).toBe(3);
    await w.admin.saveRule({
      name: 'ways',
      type: 'bookings',
      message: 'A booking goes forward, never back.',
      transitions: { field: 'status', allowed: [{ from: 'confirmed', to: ['placed', 'cancelled'] }] },
      isOn: true,
    });
    expect((await undone(w.admin, run.id)).notes).toMatchObject([{ code: 'rule_returns', count: 3 }]);
  });
});
