import { outcomes } from '@tantamos/core';
import { northDrafts, previewed, ran, refusedWith, rested } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('the job of the guide, over HTTP', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const state = async () =>
    (await w.sql.query('select id, status, region, owner, total from bookings order by id')).rows;

  it('finds, previews, asks after five, goes on, adds up, tells the history, and puts everything back', async () => {
    const before = await state();

    const found = await w.admin.search('bookings', {
      filter: northDrafts.selection.filter,
      columns: ['reference', 'owner', 'grower.name'],
      limit: 3,
      count: 'exact',
    });
    expect(found.numberMatched).toBe(200);
    expect(found.records[0]!.values[1]).toEqual({ value: '1', label: 'Ines Calloway' });

    const preview = await previewed(w.admin, northDrafts);
    expect(preview.sentence).toBe(
      'On the 200 bookings where status is Draft, valley is North and owner is Ines Calloway: set status to Confirmed and fill blank region with “Northern Hills”.',
    );
    expect(preview.totals).toMatchObject({ matched: 200, will_change: 191, not_allowed: 9, already_right: 0 });
    expect(preview.causes).toEqual([{ cause: 'A confirmed booking needs a site.', count: 9 }]);
    expect(preview.triggers.map((t) => t.name)).toEqual(['stamp']);
    expect(preview.pairs.map((p) => [p.field, p.old.value, p.new.value])).toEqual([
      ['status', 'draft', 'confirmed'],
      ['region', null, 'Northern Hills'],
    ]);
    expect(await state()).toEqual(before);

    const first = await w.admin.previewRecords(preview.id, { outcome: 'will_change', limit: 1 });
    expect(first.records[0]).toMatchObject({
      key: '76',
      name: 'B-0000076',
      changes: [
        { field: 'status', old: { value: 'draft', label: 'Draft' }, new: { value: 'confirmed', label: 'Confirmed' } },
        { field: 'region', old: { value: null }, new: { value: 'Northern Hills' } },
      ],
    });

    const asked = await ran(w.admin, preview.id);
    expect(asked).toMatchObject({
      state: 'waiting_for_you',
      totals: { changed: 5, not_allowed: 9, not_yet: 186, matched: 200 },
    });
    expect((await state()).filter((b, i) => b.status !== before[i].status)).toHaveLength(5);
    const looked = await w.admin.runRecords(asked.id, { outcome: 'changed' });
    expect(looked.records).toHaveLength(5);

    await w.admin.continueRun(asked.id);
    const finished = await rested(w.admin, asked.id);
    expect(finished.state).toBe('finished');
    expect(finished.totals).toMatchObject({ matched: 200, changed: 191, not_allowed: 9, not_yet: 0 });
    expect(outcomes.reduce((sum, o) => sum + finished.totals[o], 0)).toBe(finished.totals.matched);
    expect((await w.admin.runBatches(asked.id)).map((b) => b.size)).toEqual([6, 94, 100]);

    const history = await w.admin.history('bookings', '76');
    expect(history).toHaveLength(1);
    expect(history[0]).toMatchObject({ by: 'Sorrel Haldane', why: 'Spring round', outcome: 'changed', kind: 'edit' });
    expect(Date.now() - Date.parse(history[0]!.at)).toBeLessThan(60_000);
    const refusedOne = await w.admin.history('bookings', '151');
    expect(refusedOne[0]).toMatchObject({ outcome: 'not_allowed', cause: 'A confirmed booking needs a site.' });

    const undo = await w.admin.undoRun(finished.id, {});
    expect(undo).toMatchObject({ kind: 'undo', why: 'Spring round', totals: { matched: 191, will_change: 191 } });
    expect(await ran(w.admin, undo.id)).toMatchObject({ state: 'finished', totals: { changed: 191 } });
    expect(await state()).toEqual(before);
    expect((await w.admin.history('bookings', '76')).map((h) => h.kind)).toEqual(['undo', 'edit']);

    const again = await refusedWith(w.admin.undoRun(finished.id, {}));
    expect(again).toMatchObject({ status: 409, code: 'already_undone' });
  });

  it('undoes the first five while it waits, and an undo can be undone', async () => {
    const before = await state();
    const asked = await ran(w.admin, (await previewed(w.admin, northDrafts)).id);
    const undo = await w.admin.undoRun(asked.id, { why: 'Too early' });
    expect((await w.admin.run(asked.id)).state).toBe('stopped');
    const undone = await ran(w.admin, undo.id);
    expect(undone).toMatchObject({ why: 'Too early', totals: { changed: 5 } });
    expect(await state()).toEqual(before);

    const redo = await ran(w.admin, (await w.admin.undoRun(undone.id, {})).id);
    expect(redo.totals.changed).toBe(5);
    expect((await state()).filter((b, i) => b.status !== before[i].status)).toHaveLength(5);
    const last = await ran(w.admin, (await w.admin.undoRun(asked.id, {})).id);
    expect(last.totals.changed).toBe(5);
    expect(await state()).toEqual(before);
  });

  it('exports the result as CSV and JSON Lines, every record once', async () => {
    const [run] = await w.admin
      .runs({ limit: 50 })
      .then((all) => all.filter((r) => r.totals.matched === 200 && r.state === 'finished'));
    const texts: string[] = [];
    texts.push(await (await w.admin.files.runRecords(run!.id, { format: 'csv' })).text());
    const lines = texts.join('').split('\r\n').filter(Boolean);
    expect(lines[0]).toBe('key,name,outcome,cause,status before,status after,region before,region after');
    expect(lines).toHaveLength(201);
    expect(lines[1]).toBe('76,B-0000076,changed,,Draft,Confirmed,,Northern Hills');
    const json: string[] = [];
    json.push(await (await w.admin.files.runRecords(run!.id, { format: 'jsonl', outcome: 'not_allowed' })).text());
    const records = json
      .join('')
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { key: string; cause: string });
    expect(records).toHaveLength(9);
    expect(new Set(records.map((r) => r.cause))).toEqual(new Set(['A confirmed booking needs a site.']));
  });
});
