import { request } from 'node:http';
import type { FilePlanBody, JobBody } from '@tantamos/contract';
import { previewed, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** Files on their way in: large ones, slow ones, several at once. */
describe('files that are sent', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());
  const kept = async (): Promise<number> =>
    (await w.sql.query<{ n: number }>('select count(*)::int as n from tantamos.file')).rows[0]!.n;
  const bytesOf = (text: string) => new TextEncoder().encode(text);

  it('a workbook that was exported comes back as it went', async () => {
    const file = await w.admin.files.exportRecords('bookings', {
      format: 'xlsx',
      filter: 'id <= 300',
      columns: ['reference', 'owner', 'status', 'price_per_hive', 'start_on', 'wants_water', 'note'],
      signed: true,
    });
    const bytes = new Uint8Array(await new Response(file.bytes as never).arrayBuffer());
    const sent = await w.admin.uploadFile({ name: 'back.xlsx' }, bytes);
    expect(sent).toMatchObject({ format: 'xlsx', sheet: 'Records', rows: 300, notes: [] });
    const guess = await w.admin.guessPlan(sent.id, 'bookings');
    // Two people of one name: the name alone does not say which, so their rows are not taken.
    const { stopped, file: now } = await w.admin.planFile(sent.id, guess as FilePlanBody);
    const { same, unfit, taken } = now.report!.fates;
    expect([taken, same + unfit]).toEqual([0, 300]);
    expect(now.report!.reasons.every((r) => /are called/.test(r.reason))).toBe(true);
    expect(stopped).not.toBeNull();
  });

  it('one that is too large is refused while it comes, and keeps nothing', async () => {
    const before = await kept();
    const piece = new Uint8Array(4 * 1024 * 1024).fill(120);
    let pieces = 0;
    const endless = new ReadableStream<Uint8Array>({
      pull(controller) {
        if (pieces++ < 51) controller.enqueue(piece);
        else controller.close();
      },
    });
    const refused = await refusedWith(w.admin.uploadFile({ name: 'large.csv' }, endless));
    expect([refused.code, refused.detail]).toEqual(['over_limit', 'A file may have 200 MB; this one has more.']);
    expect(await kept()).toBe(before);
  });

  it('a sender who goes away keeps nothing, and stops nobody', async () => {
    const before = await kept();
    const url = new URL(`${w.base}/api/files?name=x.csv`);
    const half = request(url, {
      method: 'POST',
      headers: {
        Authorization: `Bearer ${w.adminToken}`,
        'Content-Type': 'application/octet-stream',
        'Content-Length': 1000,
      },
    });
    half.on('error', () => {});
    half.write('a,b\n1,2\n');
    await new Promise((resolve) => setTimeout(resolve, 50));
    half.destroy();
    const whole = await w.admin.uploadFile({ name: 'whole.csv' }, bytesOf('a,b\n1,2\n'));
    expect(whole.rows).toBe(1);
    expect(await kept()).toBe(before + 1);
  });

  it('two plans of one file at once are each of one piece', async () => {
    const text = `ref,note\n${Array.from({ length: 500 }, (_, i) => `B-${String(i + 1).padStart(7, '0')},n${i}`).join('\n')}\n`;
    const { id } = await w.admin.uploadFile({ name: 'x.csv' }, bytesOf(text));
    const plan = (field: string): Promise<{ job: unknown }> =>
      w.admin.planFile(id, {
        type: 'bookings',
        match: [{ column: 'ref', field: 'reference' }],
        take: [{ field, column: 'note' }],
      });
    const both = await Promise.all([plan('note'), plan('region')]);
    for (const [i, { job }] of both.entries()) {
      const p = await previewed(w.admin, job as JobBody);
      expect(p.totals.matched).toBe(500);
      expect(p.sentence).toContain(['into note', 'into region'][i]!);
    }
    const fates = await w.sql.query(
      'select count(*)::int as n, count(distinct n)::int as d from tantamos.file_fate where file = $1',
      [id],
    );
    expect(fates.rows[0]).toEqual({ n: 500, d: 500 });
  });

  it('hostile headers and readings are answered, not fallen over', async () => {
    const odd = await w.admin.uploadFile(
      { name: 'x.jsonl' },
      bytesOf('{"a\\u0000b":"1","\\ud800":"2","__proto__":"3"}\n'),
    );
    expect(odd.columns.map((c) => c.name)).toEqual(['a\ufffdb', '\ufffd', '__proto__']);
    const { id } = await w.admin.uploadFile({ name: 'x.csv' }, bytesOf(`ref,price\nB-0000001,${'1'.repeat(90_000)}\n`));
    const plan: FilePlanBody = {
      type: 'bookings',
      match: [{ column: 'ref', field: 'reference' }],
      take: [{ field: 'price_per_hive', column: 'price' }],
    };
    const { file } = await w.admin.planFile(id, plan);
    expect(file.report!.reasons).toEqual([{ reason: 'Price per hive: “price” is no number.', count: 1 }]);
    for (const wrong of [{ decimal: ';' }, { dates: 'ymd' }, { decimal: {} }]) {
      const readings = { price: wrong } as unknown as FilePlanBody['readings'];
      expect((await refusedWith(w.admin.planFile(id, { ...plan, readings }))).code).toBe('bad_value');
    }
    expect((await refusedWith(w.reader.uploadFile({ name: 'x.csv' }, bytesOf('a\n1\n')))).code).toBe('not_permitted');
  });

  it('a header of a thousand columns, and one of none, are told', async () => {
    const wide = Array.from({ length: 301 }, (_, i) => `c${i}`).join(',');
    expect((await refusedWith(w.admin.uploadFile({ name: 'w.csv' }, bytesOf(`${wide}\n1\n`)))).code).toBe('over_limit');
    expect((await refusedWith(w.admin.uploadFile({ name: 'h.csv' }, bytesOf('a,b\n')))).detail).toBe(
      'The file has no rows beneath its header.',
    );
  });
});
