import { refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('unfinished jobs', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  it('are several a person, the last one touched first, each with what it would do', async () => {
    const first = await w.editor.beginDraft({
      job: { type: 'bookings', filter: "status = 'draft'", edits: [{ kind: 'set' }] },
    });
    const second = await w.editor.beginDraft({ job: { type: 'hives', picked: ['1', '2'] } });
    await w.editor.beginDraft({ job: {} });
    await w.editor.keepDraft(first.id, { job: { ...first.job, why: 'later' }, version: 1 });
    expect((await w.editor.drafts()).map((d) => [d.typeLabel, d.title])).toEqual([
      ['Bookings', "bookings where status = 'draft' · 1 edit"],
      [null, 'Nothing chosen yet'],
      ['Hives', '2 picked hives · no edit yet'],
    ]);
    expect(await w.editor.draft(second.id)).toMatchObject({ version: 1, job: { picked: ['1', '2'] } });
    expect(await w.editor.draft(first.id)).toMatchObject({ version: 2, job: { why: 'later' } });
  });

  it('are their person’s alone', async () => {
    const [mine] = await w.editor.drafts();
    expect(await w.admin.drafts()).toEqual([]);
    for (const call of [
      () => w.admin.draft(mine!.id),
      () => w.admin.keepDraft(mine!.id, { job: { type: 'x' } }),
      () => w.admin.dropDraft(mine!.id),
    ])
      expect(await refusedWith(call())).toMatchObject({ status: 404 });
    expect((await w.editor.draft(mine!.id)).job).not.toMatchObject({ type: 'x' });
  });

  it('two windows on one do not overwrite each other', async () => {
    const { id } = await w.editor.beginDraft({ job: { type: 'sites' } });
    await w.editor.keepDraft(id, { job: { type: 'sites', filter: 'a' }, version: 1 });
    expect(
      await refusedWith(w.editor.keepDraft(id, { job: { type: 'sites', filter: 'b' }, version: 1 })),
    ).toMatchObject({
      code: 'stale_version',
      status: 409,
    });
    expect((await w.editor.draft(id)).job).toEqual({ type: 'sites', filter: 'a' });
    // At the very same moment one of them is first.
    const both = await Promise.allSettled(
      ['c', 'd'].map((filter) => w.editor.keepDraft(id, { job: { filter }, version: 2 })),
    );
    expect(both.map((b) => b.status).sort()).toEqual(['fulfilled', 'rejected']);
    await w.editor.dropDraft(id);
    expect(await refusedWith(w.editor.keepDraft(id, { job: {}, version: 3 }))).toMatchObject({ code: 'not_found' });
  });

  it('of a type that is withheld by now say nothing of it, and are kept', async () => {
    const { id } = await w.editor.beginDraft({ job: { type: 'invoices', filter: 'net > 5' } });
    const line = await w.admin.addRight({ login: 'piers', effect: 'deny', acts: ['see'], types: ['invoices'] });
    expect((await w.editor.drafts()).find((d) => d.id === id)).toMatchObject({
      type: null,
      typeLabel: null,
      title: 'Nothing chosen yet',
    });
    await w.admin.dropRight(line.id);
    expect((await w.editor.draft(id)).job).toEqual({ type: 'invoices', filter: 'net > 5' });
  });

  it('take anything that is an object, of a size, and so many', async () => {
    const odd = { '': null, ['__proto__x']: 1, deep: { a: [{ b: '\u2028 🐝' }] }, n: 1e21, long: 'x'.repeat(100_000) };
    const { id } = await w.editor.beginDraft({ job: odd });
    expect((await w.editor.draft(id)).job).toEqual(odd);
    const begin = (job: unknown) => refusedWith(w.editor.beginDraft({ job: job as Record<string, unknown> }));
    for (const job of [[], 'text', null, 5, undefined]) expect(await begin(job)).toMatchObject({ code: 'bad_request' });
    expect(await begin({ long: 'x'.repeat(2_000_001) })).toMatchObject({ code: 'bad_request' });
    expect(await begin({ text: '\0' })).toMatchObject({ status: 400 });
    for (let left = 50 - (await w.editor.drafts()).length; left > 0; left--) await w.editor.beginDraft({ job: {} });
    expect(await begin({})).toMatchObject({ code: 'over_limit' });
  });
});
