import type { FilePlanBody, JobBody } from '@tantamos/contract';
import { previewed, ran } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** Values from files: which rows are about which records, what their cells become, and what happens to every row. */
describe('values from a file', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const sent = (text: string | Uint8Array<ArrayBuffer>, query: object = {}) =>
    w.admin.uploadFile(
      { name: 'values.csv', ...query },
      typeof text === 'string' ? new TextEncoder().encode(text) : text,
    );
  const planned = async (text: string, plan: Omit<FilePlanBody, 'type'> & { type?: string }) =>
    w.admin.planFile((await sent(text)).id, { type: 'bookings', ...plan });
  const one = async <R>(statement: string): Promise<R> => (await w.sql.query(statement)).rows[0] as R;

  it('each row is accounted for once, each number opens its rows, and what can be done is a job', async () => {
    const { rows } = await w.sql.query<{ reference: string; price: string }>(
      'select reference, price_per_hive::text as price from bookings where id <= 4 order by id',
    );
    const [a, b, c, d] = rows.map((r) => r.reference);
    const text = [
      'Reference;Price per hive;Note',
      `${a};"1.012,50";first`,
      `${b!.toLowerCase()} ;12,5;`,
      `${c};abc;third`,
      `${d};9;x`,
      `${d};10;x`,
      `${a};"1.012,50";first`,
      'B-NOPE;3;y',
      ';;',
      ';4;no key',
    ].join('\r\n');
    const { file, stopped, job } = await planned(text, {
      match: [{ column: 'reference', field: 'reference' }],
      take: [
        { field: 'price_per_hive', column: 'Price per hive' },
        { field: 'note', column: 'Note' },
      ],
      unknown: 'skip',
    });
    expect(file).toMatchObject({ format: 'csv', separator: ';', encoding: 'utf-8', rows: 9 });
    expect(file.report!.sentence).toBe(
      '9 rows = 2 taken + 2 fit no record + 2 contradict each other + 1 said before + 1 do not fit + 1 blank; 2 → 2 bookings',
    );
    expect(stopped).toBeNull();
    const all = (await w.admin.fileRows(file.id, {})).rows;
    expect(all.map((r) => [r.at, r.fate])).toEqual([
      [2, 'taken'],
      [3, 'taken'],
      [4, 'unfit'],
      [5, 'twice'],
      [6, 'twice'],
      [7, 'repeat'],
      [8, 'unknown'],
      [9, 'blank'],
      [10, 'unknown'],
    ]);
    expect(all.map((r) => r.reason)).toEqual([
      null,
      null,
      'Price per hive: “Price per hive” is no number.',
      'rows 5 and 6 say different things of one record',
      'rows 5 and 6 say different things of one record',
      'row 2 says the same',
      'no record fits',
      null,
      '“Reference” is empty',
    ]);
    const left = await (await w.admin.files.fileRows(file.id, { of: 'left', format: 'csv' })).text();
    expect(left.split('\r\n')[1]).toBe(`${c},abc,third,Price per hive: “Price per hive” is no number.`);
    expect(left.trim().split('\r\n')).toHaveLength(7);
    const p = await previewed(w.admin, { ...(job as JobBody), safety: { pace: 100 } });
    expect(p.totals).toMatchObject({ matched: 2, not_allowed: 0 });
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals).toMatchObject({ refused: 0, edited_since: 0 });
    const now = await w.sql.query('select price_per_hive::text as price, note from bookings where id <= 2 order by id');
    // An empty cell leaves what is there.
    const note = await one<{ note: string | null }>('select note from bookings where id = 2');
    expect(now.rows).toEqual([
      { price: '1012.50', note: 'first' },
      { price: '12.50', note: note.note },
    ]);
    const back = await w.admin.undoRun(run.id, {});
    await ran(w.admin, back.id, { askAfter: null, expect: back.totals.will_change });
    const before = await w.sql.query('select price_per_hive::text as price from bookings where id <= 2 order by id');
    expect(before.rows.map((r) => (r as { price: string }).price)).toEqual(rows.slice(0, 2).map((r) => r.price));
  });
});
