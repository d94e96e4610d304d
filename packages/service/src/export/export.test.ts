import { Readable } from 'node:stream';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import type { ExportBody } from '@tantamos/contract';
import { refusedWith } from '../testing/jobs';
import { fromBuffer } from 'yauzl';
import { openWorkspace, type Workspace } from '../testing/workspace';
import { csvLines } from './csv';
import { mostRows } from './xlsx';

describe('taking records away', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const bytes = async (type: string, body: ExportBody): Promise<Buffer> =>
    Buffer.concat(
      await gathered((await w.admin.files.exportRecords(type, body)).bytes as unknown as AsyncIterable<Buffer>),
    );
  const text = async (type: string, body: ExportBody): Promise<string> => (await bytes(type, body)).toString();

  it('gives every record as CSV, in order, with names and labels; or as stored', async () => {
    const body: ExportBody = {
      format: 'csv',
      filter: "status = 'draft' AND valley = 'north'",
      columns: ['reference', 'owner', 'status', 'wants_water', 'total', 'grower.name'],
      sort: ['-total'],
    };
    const lines = (await text('bookings', body)).split('\r\n');
    const hand = (
      await w.sql.query(
        `select b.reference, s.name, b.total, g.name as grower from bookings b left join staff s on s.id = b.owner join growers g on g.id = b.grower where b.status = 'draft' and b.valley = 'north' order by b.total desc, b.id desc`,
      )
    ).rows;
    expect(lines).toHaveLength(hand.length + 2);
    expect(lines[0]).toBe('reference,owner,status,wants_water,total,grower.name');
    const [first] = hand;
    expect(lines[1]).toMatch(
      new RegExp(`^${first.reference},${first.name},Draft,(Yes|No),${first.total},${first.grower}$`),
    );
    const stored = (await text('bookings', { ...body, stored: true })).split('\r\n')[1]!;
    expect(stored).toMatch(/^B-\d+,\d+,draft,(true|false),/);
  });

  it('suits spreadsheets that want semicolons, decimal commas and a mark first', async () => {
    const out = await text('bookings', {
      format: 'csv',
      columns: ['reference', 'total'],
      take: { count: 2 },
      separator: ';',
      bom: true,
      decimalComma: true,
    });
    expect(out).toMatch(/^\ufeffreference;total\r\nB-0000001;\d+,\d\d\r\n/);
  });

  it('makes cells safe that a spreadsheet would take for a formula, unless they are wanted raw', async () => {
    await w.sql.query(
      `update bookings set note = '=1+1' where id = 1; update bookings set note = 'a "b", c' where id = 2`,
    );
    const body: ExportBody = { format: 'csv', columns: ['note', 'hives'], take: { count: 2 } };
    expect(
      (await text('bookings', body))
        .split('\r\n')
        .slice(1, 3)
        .map((l) => l.replace(/,\d+$/, '')),
    ).toEqual(["'=1+1", '"a ""b"", c"']);
    expect((await text('bookings', { ...body, raw: true })).split('\r\n')[1]).toMatch(/^=1\+1,/);
    const column = { name: 'n', kind: 'number' as const, show: (t: string | null) => t };
    const rows = Readable.from([['-5.5']]);
    expect(await gathered(csvLines([column], rows, {}))).toEqual(['n\r\n', '-5.5\r\n']);
  });

  it('makes them safe for every separator, for full-width signs, and where quotes part cells of another', async () => {
    const column = { name: '=n', kind: 'text' as const, show: (t: string | null) => t };
    const cellOf = async (text: string, separator?: ';' | '\t') =>
      (await gathered(csvLines([column], Readable.from([[text]]), { separator }))).join('');
    for (const separator of [undefined, ';', '\t'] as const) {
      for (const sign of ['=', '+', '-', '@', '\uff1d', '\uff0b', '\uff0d', '\uff20'])
        for (const before of ['', ' ', '\t', '\u00a0', '\ufeff', 'a;', 'a,', 'a\t', 'a\n', 'a;"', 'a\r']) {
          const said = await cellOf(`${before}${sign}cmd()`, separator);
          expect(said).toMatch(/^'=n\r\n/);
          // However the line is parted, no cell begins with the sign, quotes and white space aside.
          const cells = said.slice(5).split(/[;,\t\r\n]/);
          expect(cells.filter((c) => new RegExp(`^[\\s"\ufeff]*[${sign}]`).test(c))).toEqual([]);
        }
      expect(await cellOf('5;-3,+4', separator)).toContain('5;-3,+4');
      // What begins as a number does may be a formula all the same; what is one as a whole is none.
      for (const formula of ['=4', '=1+1', '-3+cmd()', '+4*A1', '@1', ' =4', '-3;x=1;=2'])
        for (const mark of [';', ',', '\t'])
          expect(await cellOf(`3${mark}${formula}`, separator)).toContain(
            formula === '-3;x=1;=2' ? `-3;x=1;'=2` : `3${mark}${formula.replace(/[=+@-]/, "'$&")}`,
          );
      expect(await cellOf('3;-4,5;+1.25', separator)).toContain('3;-4,5;+1.25');
    }
    expect(await cellOf('a;b')).toBe('\'=n\r\n"a;b"\r\n');
  });

  it('gives JSON Lines with every digit', async () => {
    const out = await text('invoices', {
      format: 'jsonl',
      columns: ['number', 'gross', 'paid_at'],
      take: { count: 3 },
    });
    const lines = out
      .trim()
      .split('\n')
      .map((l) => JSON.parse(l) as Record<string, string>);
    expect(lines).toHaveLength(3);
    const { gross } = (await w.sql.query('select gross::text from invoices where id = 1')).rows[0];
    expect(lines[0]!.gross).toBe(gross);
  });

  it('gives a workbook that holds texts, numbers and dates as such', async () => {
    const file = await bytes('bookings', {
      format: 'xlsx',
      columns: ['reference', 'total', 'start_on', 'note'],
      take: { count: 2 },
    });
    const sheet = await entryOf(file, 'xl/worksheets/sheet1.xml');
    expect(sheet).toContain('<is><t xml:space="preserve">B-0000001</t></is>');
    const row = (
      await w.sql.query(`select total::text, start_on - date '1899-12-30' as serial from bookings where id = 1`)
    ).rows[0];
    expect(sheet).toContain(`<c><v>${row.total}</v></c><c s="1"><v>${row.serial}</v></c>`);
    expect(sheet).toContain('=1+1</t>');
    expect(sheet.match(/<row>/g)).toHaveLength(3);
  });

  it('says beforehand how many there are, and when a sheet cannot hold them', async () => {
    expect((await w.admin.files.exportRecords('growers', { format: 'jsonl' })).count).toBe(2500);
    await w.sql.query(
      `create table many as select n as id from generate_series(1, ${mostRows}) n; alter table many add primary key (id)`,
    );
    w.services.catalogs.refresh();
    const problem = await refusedWith(w.admin.files.exportRecords('many', { format: 'xlsx' }));
    expect(problem).toMatchObject({
      code: 'over_limit',
      detail: expect.stringContaining('1,048,575 records; these are 1,048,576'),
    });
  });

  it('streams hundreds of thousands of records with memory that does not grow with them', async () => {
    setFlagsFromString('--expose-gc');
    const collect = runInNewContext('gc') as () => void;
    // What is alive while the records pass, every 20,000 of them.
    const alive = async (body: ExportBody): Promise<number> => {
      let most = 0;
      let lines = 0;
      const { bytes: stream } = await w.admin.files.exportRecords('many', body);
      for await (const piece of stream as unknown as AsyncIterable<Buffer>) {
        const before = Math.floor(lines / 20_000);
        for (let at = piece.indexOf(10); at >= 0; at = piece.indexOf(10, at + 1)) lines++;
        if (Math.floor(lines / 20_000) === before) continue;
        collect();
        const { heapUsed, external } = process.memoryUsage();
        most = Math.max(most, heapUsed + external);
      }
      expect(lines).toBe(body.take!.count);
      return most;
    };
    const few = await alive({ format: 'jsonl', take: { count: 40_000 } });
    const all = await alive({ format: 'jsonl', take: { count: 240_000 } });
    expect(all - few).toBeLessThan(20e6);
  }, 300_000);

  it('ends the statement when the reader leaves', async () => {
    const away = new AbortController();
    const { bytes: stream } = await w.admin.files.exportRecords('many', { format: 'csv' }, { signal: away.signal });
    await stream.getReader().read();
    away.abort();
    for (let i = 0; i < 50; i++) {
      const { rows } = await w.sql.query(
        `select 1 from pg_stat_activity where query like '%"many"%' and state = 'active' and pid <> pg_backend_pid()`,
      );
      if (rows.length === 0) return;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    throw new Error('The statement still runs.');
  });
});

async function gathered<T>(all: AsyncIterable<T>): Promise<T[]> {
  const items: T[] = [];
  for await (const item of all) items.push(item);
  return items;
}

/** One file of a ZIP archive, as text. */
function entryOf(archive: Buffer, name: string): Promise<string> {
  return new Promise((resolve, reject) => {
    fromBuffer(archive, { lazyEntries: true }, (error, zip) => {
      if (error) return reject(error);
      zip.on('end', () => reject(new Error(`There is no ${name}.`)));
      zip.on('entry', (entry: { fileName: string }) => {
        if (entry.fileName !== name) return zip.readEntry();
        zip.openReadStream(entry as never, (failed, stream) => {
          if (failed) return reject(failed);
          gathered(stream as AsyncIterable<Buffer>).then((all) => resolve(Buffer.concat(all).toString()), reject);
        });
      });
      zip.readEntry();
    });
  });
}
