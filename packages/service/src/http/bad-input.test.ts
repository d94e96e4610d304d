import { done, northDrafts, onBookings, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('bad input gets a clear answer and loses nothing', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const filtered = (filter: string) => refusedWith(w.admin.search('bookings', { filter }));
  const edited = (field: string, value: string) =>
    refusedWith(w.admin.makePreview(onBookings([1], [{ kind: 'set', field, value }])));
  const posted = async (path: string, body: string, headers: Record<string, string> = {}) =>
    fetch(w.base + path, {
      method: 'POST',
      body,
      headers: { Authorization: `Bearer ${w.adminToken}`, 'Content-Type': 'application/json', ...headers },
    });

  it.each([
    ["statuss = 'draft'", 'unknown_field', [0, 7], ['status']],
    ["owner.nme = 'x'", 'unknown_field', [6, 9], ['name']],
    ["status = 'drafted'", 'unknown_choice', [9, 18], ["'draft'"]],
    ["hives = 'many'", 'type_mismatch', [8, 14], []],
    ["hives = '12'", 'type_mismatch', [8, 12], ['12']],
    ['start_on > 5', 'type_mismatch', [11, 12], []],
    ["start_on > '2026-01-01'", 'type_mismatch', [11, 23], ["DATE('2026-01-01')"]],
    ["start_on > DATE('2026-02-30')", 'bad_value', [11, 29], []],
    ["owner = 'Ines Caloway'", 'unknown_name', [8, 22], ["'Ines Calloway'"]],
    ["owner = 'Marta Quill'", 'ambiguous_name', [8, 21], ['3', '4']],
    ["status = 'draft", 'syntax', [9, 15], []],
    ['status =', 'syntax', [8, 8], []],
    ["status = 'draft' und valley = 'north'", 'syntax', [17, 20], []],
    ["(status = 'draft'", 'syntax', [0, 1], []],
    ['note = NULL', 'syntax', [7, 11], []],
    ['status.name = 1', 'type_mismatch', [0, 6], []],
    ["nosuch(status) = 'x'", 'unknown_function', [0, 6], []],
    ['status ~ 1', 'syntax', [7, 8], []],
  ])('%s', async (filter, code, span, suggestions) => {
    const problem = (await filtered(filter)).problems[0]!;
    expect(problem).toMatchObject({ code, where: 'filter', span: { start: span[0], end: span[1] } });
    for (const s of suggestions) expect(problem.suggestions).toContain(s);
  });

  it('a filter of 1 MB, one above it, and 10,000 open brackets', async () => {
    const long = Array.from({ length: 2_000 }, (_, i) => `id = ${100_000 + i}`).join(' OR ');
    expect((await w.admin.search('bookings', { filter: long, limit: 1, count: 'exact' })).numberMatched).toBe(0);
    const megabyte = `id IN (${Array.from({ length: 9_900 }, (_, i) => String(i).padStart(98, '0')).join(', ')})`;
    expect(megabyte.length).toBeGreaterThan(980_000);
    expect((await w.admin.search('bookings', { filter: megabyte, limit: 1, count: 'exact' })).numberMatched).toBe(
      9_899,
    );
    expect(await filtered('x'.repeat(1_000_001))).toMatchObject({ status: 400, code: 'too_long' });
    expect(await filtered(Array.from({ length: 20_000 }, () => 'id = 1').join(' OR '))).toMatchObject({
      status: 400,
      code: 'too_long',
    });
    expect(await filtered('('.repeat(10_000))).toMatchObject({ status: 400, code: 'too_deep' });
    expect(await filtered(`${'NOT '.repeat(10_000)} wants_water`)).toMatchObject({ status: 400, code: 'too_deep' });
  });

  it.each([
    ['status', 'confirmd', 'unknown_choice'],
    ['reference', 'x'.repeat(13), 'value_too_long'],
    ['start_on', '42', 'bad_value'],
    ['start_on', '2026-02-30', 'bad_value'],
    ['hives', '3.5', 'bad_value'],
    ['hives', '99999999999', 'bad_value'],
    ['price_per_hive', '12.345', 'bad_value'],
    ['price_per_hive', '1e30', 'bad_value'],
    ['wants_water', 'perhaps', 'bad_value'],
    ['note', 'a\0b', 'bad_request'],
    ['note', '  ', 'bad_value'],
    ['total', '5', 'not_editable'],
    ['id', '5', 'not_editable'],
    ['colour', 'red', 'unknown_field'],
    ['owner', 'Nobody Atall', 'unknown_name'],
    ['owner', 'Marta Quill', 'ambiguous_name'],
    ['owner', '999999', 'unknown_name'],
  ])('set %s to %j', async (field, value, code) => {
    const details = await edited(field, value);
    expect(details.status).toBe(400);
    expect(details.problems[0]).toMatchObject({ code });
    expect(details.problems[0]!.where).toMatch(/^edits\[0\]/);
  });

  it('reports every problem of a job at once', async () => {
    const details = await refusedWith(
      w.admin.makePreview({
        selection: { type: 'bookings', filter: 'nope = 1' },
        edits: [
          { kind: 'set', field: 'hives', value: 'x' },
          { kind: 'fill', field: 'nope', value: '1' },
          { kind: 'set', field: 'note', value: 'a' },
          { kind: 'fill', field: 'note', value: 'b' },
        ],
      }),
    );
    expect(details.problems.map((p) => [p.where, p.code])).toEqual([
      ['filter', 'unknown_field'],
      ['edits[0].value', 'bad_value'],
      ['edits[1].field', 'unknown_field'],
      ['edits[3].field', 'same_field_twice'],
    ]);
  });

  it('types, keys and pages that do not exist', async () => {
    expect(await refusedWith(w.admin.search('bookngs', {}))).toMatchObject({
      status: 404,
      code: 'unknown_type',
      problems: [{ suggestions: ['bookings'] }],
    });
    expect(await refusedWith(w.admin.record('bookings', '99999999'))).toMatchObject({ status: 404 });
    expect(await refusedWith(w.admin.record('bookings', "1' or '1'='1"))).toMatchObject({ status: 404 });
    expect(await refusedWith(w.admin.history('bookings', '9'.repeat(400)))).toMatchObject({ status: 404 });
    expect(await refusedWith(w.admin.search('bookings', { after: 'nonsense' }))).toMatchObject({ status: 400 });
    expect(await refusedWith(w.admin.search('bookings', { sort: ['nope'] }))).toMatchObject({
      code: 'unknown_field',
      problems: [{ where: 'sort[0]' }],
    });
    expect(await refusedWith(w.admin.search('bookings', { columns: ['grower.nope'] }))).toMatchObject({
      code: 'unknown_field',
    });
    expect(await refusedWith(w.admin.run('not-a-uuid'))).toMatchObject({ status: 404 });
    expect(await refusedWith(w.admin.preview('00000000-0000-4000-8000-000000000000'))).toMatchObject({ status: 404 });
    expect(
      await refusedWith(
        w.admin.makePreview({
          selection: { type: 'placements' },
          edits: [{ kind: 'set', field: 'booking', value: '1' }],
        }),
      ),
    ).toMatchObject({
      status: 400,
      code: 'not_editable',
    });
  });

  it('hostile values stay values', async () => {
    const evil = "'; drop table bookings; --";
    expect(
      (await w.admin.search('bookings', { filter: `note = '${evil.replaceAll("'", "''")}'`, count: 'exact' }))
        .numberMatched,
    ).toBe(0);
    expect(await refusedWith(w.admin.search('bookings', { columns: ['id"; drop table bookings; --'] }))).toMatchObject({
      code: 'unknown_field',
    });
    const run = await done(w.admin, onBookings([5], [{ kind: 'set', field: 'note', value: evil }]));
    expect(run.totals.changed).toBe(1);
    expect((await w.sql.query('select note from bookings where id = 5')).rows[0].note).toBe(evil);
  });

  it('bodies that are not JSON, not objects, too large, or hold unknown members', async () => {
    const cases: [string, number][] = [
      ['{"preview": ', 400],
      ['[]', 400],
      ['"x"', 400],
      ['{"preview":"00000000-0000-4000-8000-000000000000","force":true}', 400],
      ['{"preview":"x"}', 400],
      [`{"preview":"${'x'.repeat(9_000_000)}"}`, 400],
    ];
    for (const [body, status] of cases) {
      const response = await posted('/api/runs', body);
      expect(response.status).toBe(status);
      expect(response.headers.get('content-type')).toContain('application/problem+json');
      const details = (await response.json()) as { type: string; detail: string; status: number };
      expect(details).toMatchObject({ status });
      expect(details.detail.length).toBeGreaterThan(5);
    }
    const unknown = await refusedWith(w.admin.makePreview({ ...northDrafts, force: true } as never));
    expect(unknown.problems[0]).toMatchObject({ where: 'force', message: '“force” is not known here.' });
  });

  it('a preview that is too old, started twice, withdrawn, or would change nothing', async () => {
    const old = await previewed(w.admin, onBookings([30], [{ kind: 'set', field: 'note', value: 'late' }]));
    await w.sql.query(`update tantamos.preview set expires_at = now() - interval '1 minute' where id = $1`, [old.id]);
    expect(await refusedWith(w.admin.startRun({ preview: old.id }))).toMatchObject({
      status: 410,
      code: 'preview_expired',
    });

    const p = await previewed(w.admin, onBookings([31], [{ kind: 'set', field: 'note', value: 'once' }]));
    const both = await Promise.allSettled([w.admin.startRun({ preview: p.id }), w.admin.startRun({ preview: p.id })]);
    expect(both.map((b) => b.status).sort()).toEqual(['fulfilled', 'rejected']);
    expect(await refusedWith(w.admin.startRun({ preview: p.id }))).toMatchObject({
      status: 409,
      code: 'preview_started',
    });

    const withdrawn = await previewed(w.admin, onBookings([32], [{ kind: 'set', field: 'note', value: 'no' }]));
    await w.admin.dropPreview(withdrawn.id);
    expect(await refusedWith(w.admin.startRun({ preview: withdrawn.id }))).toMatchObject({
      status: 409,
      code: 'preview_cancelled',
    });

    const right = await previewed(
      w.admin,
      onBookings([5], [{ kind: 'set', field: 'note', value: "'; drop table bookings; --" }]),
    );
    expect(await refusedWith(w.admin.startRun({ preview: right.id }))).toMatchObject({
      status: 409,
      code: 'nothing_to_do',
    });
  });

  it('limits stop before anything is changed', async () => {
    const job = onBookings([40, 41, 42], [{ kind: 'set', field: 'note', value: 'limit' }], { safety: { atMost: 2 } });
    const p = await previewed(w.admin, job);
    expect(await refusedWith(w.admin.startRun({ preview: p.id }))).toMatchObject({ status: 409, code: 'over_limit' });
    const q = await previewed(w.admin, { ...job, safety: {} });
    expect(await refusedWith(w.admin.startRun({ preview: q.id, expect: 4 }))).toMatchObject({
      code: 'expect_mismatch',
    });
    const all = await previewed(w.admin, {
      selection: { type: 'staff' },
      edits: [{ kind: 'set', field: 'active', value: false }],
    });
    expect(all.expectRequired).toBe(true);
    expect(await refusedWith(w.admin.startRun({ preview: all.id }))).toMatchObject({ code: 'expect_required' });
    await w.admin.setType('bookings', { mostRecords: 2, largestBatch: 500 });
    expect(await refusedWith(w.admin.startRun({ preview: q.id }))).toMatchObject({ code: 'over_limit' });
    expect(await refusedWith(w.admin.makePreview({ ...job, safety: { batchSize: 501 } }))).toMatchObject({
      code: 'over_limit',
    });
    await w.admin.setType('bookings', { mostRecords: null, largestBatch: null });
    expect((await w.sql.query(`select count(*)::int as n from bookings where note = 'limit'`)).rows[0].n).toBe(0);
    expect((await ran(w.admin, q.id)).totals.changed).toBe(3);
  });

  it('a reason where the workspace asks for one; it is carried to the undo', async () => {
    await w.admin.setWorkspace({ whyRequired: true });
    const job = onBookings([50], [{ kind: 'set', field: 'note', value: 'why' }]);
    expect(await refusedWith(w.admin.makePreview({ ...job, why: '  ' }))).toMatchObject({
      code: 'why_required',
      problems: [{ where: 'why' }],
    });
    const run = await done(w.admin, { ...job, why: 'Because' });
    expect((await w.admin.undoRun(run.id, {})).why).toBe('Because');
    await w.admin.setWorkspace({ whyRequired: false });
  });

  it('says when a search takes too long', async () => {
    const slow = refusedWith(
      w.services.database.askWithin({ pieces: ['select pg_sleep(5)'] }, 50).then(
        () => undefined,
        async (error: unknown) => (await import('../database/problems')).asProblem(error),
      ) as Promise<never>,
    ).catch((error: Error) => error.message);
    expect(await slow).toContain('took too long');
  });
});
