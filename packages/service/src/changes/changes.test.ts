import type { ChangesPage, ChangesQuery, RunView } from '@tantamos/contract';
import { momentSaid } from '@tantamos/core';
import { done, onBookings, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('what was changed is found again', () => {
  let w: Workspace;
  let status: RunView;
  let owner: RunView;
  let undo: RunView;
  let shuffled: RunView;
  let copies: RunView;
  beforeAll(async () => {
    w = await openWorkspace();
    const keys = Array.from({ length: 30 }, (_, i) => i + 1);
    status = await done(w.admin, {
      ...onBookings(keys, [{ kind: 'set', field: 'note', value: 'late frost' }]),
      why: 'Spring round',
    });
    owner = await done(w.editor, onBookings([5, 6, 7], [{ kind: 'set', field: 'owner', value: 'Ines Calloway' }]));
    // In small batches, each record in two of them.
    shuffled = await done(w.admin, {
      selection: { type: 'bookings', filter: 'id <= 60' },
      edits: [{ kind: 'number', field: 'note', prefix: 'S-', order: ['-total'] }],
      then: [
        {
          selection: { type: 'bookings', filter: 'id <= 60' },
          edits: [{ kind: 'set', field: 'region', value: 'Far' }],
        },
      ],
      safety: { batchSize: 7, pace: 100 },
    });
    const p = await w.admin.undoRun(shuffled.id, { keys: ['8'], fields: ['note'] });
    for await (const _ of w.admin.previewEvents(p.id));
    undo = await ran(w.admin, p.id, { expect: 1 });
    copies = await done(w.admin, {
      selection: { type: 'tasks', keys: ['3'] },
      act: 'copy',
      edits: [{ kind: 'set', field: 'subject', value: 'made by a run' }],
      safety: { pace: 100 },
    });
  });
  afterAll(() => w.close());

  const found = async (query: ChangesQuery): Promise<ChangesPage['runs']> => (await w.admin.changes(query)).runs;
  const ids = async (query: ChangesQuery): Promise<string[]> => (await found(query)).map((r) => r.run.id);

  it('by type, person, field, time, words and outcome, the newest first', async () => {
    expect(await ids({ type: 'bookings' })).toEqual([undo.id, shuffled.id, owner.id, status.id]);
    expect(await ids({ by: 'piers' })).toEqual([owner.id]);
    expect(await ids({ by: 'Sorrel Haldane', type: 'tasks' })).toEqual([copies.id]);
    expect(await ids({ type: 'bookings', field: 'owner' })).toEqual([owner.id]);
    expect(await ids({ text: 'spring ROUND' })).toEqual([status.id]);
    expect(await ids({ since: 'today', type: 'tasks' })).toEqual([copies.id]);
    expect(await ids({ until: 'yesterday' })).toEqual([]);
    expect(await ids({ outcome: 'refused' })).toEqual([]);
    expect((await found({ type: 'tasks' }))[0]).toMatchObject({ matching: null, records: [] });
  });

  it('by record, whatever order a run had them in, before and after it is indexed', async () => {
    const expected = [undo.id, shuffled.id, status.id];
    expect(await ids({ type: 'bookings', record: '8' })).toEqual(expected);
    for (let n = 0; n < 100; n++) {
      const { rows } = await w.sql.query(`select from tantamos.run where keys = 'mixed'`);
      if (rows.length === 0) break;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    const { rows } = await w.sql.query('select id, keys from tantamos.run order by started_at');
    expect(rows.map((r) => r.keys)).toEqual(['ordered', 'ordered', 'indexed', 'ordered', 'indexed']);
    expect(await ids({ type: 'bookings', record: '8' })).toEqual(expected);
    const [first] = await found({ type: 'bookings', record: '8', field: 'note' });
    expect(first).toMatchObject({ matching: 1, records: [{ key: '8', changes: [{ field: 'note' }] }] });
    // Its timeline says the same, and that of a record that was made knows by which run.
    const [back, twice, first1] = expected;
    expect((await w.admin.history('bookings', '8')).map((h) => h.run)).toEqual([back, twice, twice, first1]);
    const made = (await w.sql.query(`select id from tasks where subject = 'made by a run'`)).rows[0].id;
    expect((await w.admin.history('tasks', String(made))).map((h) => h.run)).toEqual([copies.id]);
    expect(await ids({ type: 'tasks', record: String(made) })).toEqual([copies.id]);
  });

  it('by value, old or new: as it is stored, by the label of a choice, by the name of a record', async () => {
    const of = async (query: ChangesQuery) =>
      (await found({ type: 'bookings', ...query })).map((r) => [r.run.id, r.matching]);
    expect(await of({ field: 'note', new: 'late frost' })).toEqual([
      [undo.id, 1],
      [status.id, 30],
    ]);
    expect(await of({ field: 'note', old: 'late frost' })).toEqual([[shuffled.id, 30]]);
    expect(await of({ field: 'owner', new: 'Ines Calloway' })).toEqual([[owner.id, owner.totals.changed]]);
    expect(await of({ field: 'note', old: 'late frost', record: '31' })).toEqual([]);
    expect(await of({ field: 'note', new: 'nothing of the kind' })).toEqual([]);
    const blanks = (await of({ field: 'note', old: '' }))[0];
    expect(blanks?.[0]).toBe(shuffled.id);
  });

  it('a page at a time', async () => {
    const first = await w.admin.changes({ limit: 2 });
    expect(first.runs.map((r) => r.run.id)).toEqual([copies.id, undo.id]);
    const second = await w.admin.changes({ limit: 2, after: first.next! });
    expect(second.runs.map((r) => r.run.id)).toEqual([shuffled.id, owner.id]);
    const third = await w.admin.changes({ limit: 2, after: second.next! });
    expect(third).toMatchObject({ runs: [{ run: { id: status.id } }], next: null });
  });

  it('says what is wrong', async () => {
    const told = async (query: ChangesQuery) => {
      const { code, problems } = await refusedWith(w.admin.changes(query));
      return [code, problems?.[0]?.where];
    };
    expect(await told({ since: 'whenever' })).toEqual(['bad_value', 'since']);
    expect(await told({ field: 'note' })).toEqual(['bad_request', 'type']);
    expect(await told({ type: 'bookings', new: 'x' })).toEqual(['bad_request', 'field']);
    expect(await told({ type: 'bookings', field: 'nonsense' })).toEqual(['unknown_field', 'field']);
    expect(await told({ type: 'nonsense' })).toEqual(['unknown_type', 'type']);
    expect(await told({ type: 'bookings', record: 'x' })).toEqual(['bad_value', 'record']);
    expect(await told({ text: 'a\u0000b' })).toEqual(['bad_request', 'text']);
  });

  it('tells nobody of what they may not see', async () => {
    const line = await w.admin.addRight({
      login: 'piers',
      effect: 'deny',
      acts: ['see'],
      types: ['bookings'],
      fields: ['note'],
    });
    try {
      expect((await w.editor.changes({ type: 'bookings' })).runs.map((r) => r.run.sentence).join()).not.toContain(
        'frost',
      );
      expect((await w.editor.changes({ text: 'late frost' })).runs).toEqual([]);
      expect((await refusedWith(w.editor.changes({ type: 'bookings', field: 'note', new: 'late frost' }))).code).toBe(
        'unknown_field',
      );
    } finally {
      await w.admin.dropRight(line.id);
    }
  });

  it('a word says the moment it means', () => {
    const at = (text: string): string =>
      momentSaid(text, 'Europe/Lisbon', Date.parse('2026-07-15T22:30:00Z')).toISOString();
    // A Wednesday, half past eleven in the evening there.
    expect(at('today')).toBe('2026-07-14T23:00:00.000Z');
    expect(at('yesterday')).toBe('2026-07-13T23:00:00.000Z');
    expect(at('wednesday')).toBe('2026-07-14T23:00:00.000Z');
    expect(at('Mon')).toBe('2026-07-12T23:00:00.000Z');
    expect(at('thursday')).toBe('2026-07-08T23:00:00.000Z');
    expect(at('7 days')).toBe('2026-07-07T23:00:00.000Z');
    expect(at('2026-01-05')).toBe('2026-01-05T00:00:00.000Z');
    expect(at('2026-07-01T08:00')).toBe('2026-07-01T07:00:00.000Z');
    expect(at('2026-07-01T08:00Z')).toBe('2026-07-01T08:00:00.000Z');
  });
});
