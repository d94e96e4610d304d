import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ProblemError } from '@tantamos/core';
import iconv from 'iconv-lite';
import { ZipFile } from 'yazl';
import { readFile } from '.';
import type { MannerSaid, Row } from './reading';

/** What a file is read as, whatever it was written with. */
describe('reading files of values', () => {
  let folder: string;
  beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'read-'))));
  afterAll(() => rmSync(folder, { recursive: true }));

  let made = 0;
  const fileOf = (bytes: string | Uint8Array): string => {
    const path = join(folder, String(made++));
    writeFileSync(path, bytes);
    return path;
  };
  const read = async (bytes: string | Uint8Array, said: MannerSaid = {}) => {
    const reading = await readFile(fileOf(bytes), said);
    const rows: Row[] = [];
    for await (const row of reading.rows()) rows.push(row);
    return {
      manner: reading.manner,
      columns: reading.columns(),
      rows,
      notes: reading.notes().map((n) => [n.code, n.count]),
    };
  };
  const cellsOf = async (bytes: string | Uint8Array, said: MannerSaid = {}) =>
    (await read(bytes, said)).rows.map((r) => r.cells);
  const refused = async (bytes: string | Uint8Array, said: MannerSaid = {}): Promise<string> => {
    try {
      await read(bytes, said);
    } catch (error) {
      if (error instanceof ProblemError) return error.message;
      throw error;
    }
    throw new Error('It was read.');
  };

  it.each([
    ['commas', 'a,b\n1,2\n', ','],
    ['semicolons, with decimal commas', 'a;b\n1,5;2,5\n', ';'],
    ['tabs', 'a\tb\r\n1\t2\r\n', '\t'],
    ['bars', 'a|b\n1|2\n', '|'],
    ['quotes that hold separators and lines', 'a,b\n"x,y","two\nlines"\n', ','],
  ])('CSV parted by %s', async (_, text, separator) => {
    const { manner, columns, rows } = await read(text);
    expect([manner.separator, columns]).toEqual([separator, ['a', 'b']]);
    expect(rows).toHaveLength(1);
    expect(rows[0]!.cells.every((c) => c !== null)).toBe(true);
  });

  it.each(['utf-8', 'utf-16le', 'utf-16be', 'windows-1252'])('letters in %s', async (encoding) => {
    const text = `Name;Ort\r\nJürgen Größe;Köln\r\n`;
    const bytes = iconv.encode(text, encoding, { addBOM: encoding.startsWith('utf-16') });
    const { manner, rows, notes } = await read(bytes);
    expect(rows[0]!.cells).toEqual(['Jürgen Größe', 'Köln']);
    expect(manner.encoding).toBe(encoding);
    expect(notes).toEqual(encoding === 'windows-1252' ? [['guessed_encoding', 1]] : []);
  });

  it('says where a text stops being UTF-8, and takes the encoding that is said', async () => {
    const bytes = Buffer.concat([
      Buffer.from(`a;b\n${'plain;line\n'.repeat(60_000)}`),
      iconv.encode('Größe;x\n', 'windows-1252'),
    ]);
    expect(await refused(bytes)).toContain('begins as UTF-8, but after some');
    expect((await cellsOf(bytes, { encoding: 'windows-1252' })).at(-1)).toEqual(['Größe', 'x']);
    expect(await refused('a,b\n1,2', { encoding: 'klingon' })).toContain('is no encoding');
  });

  it('rows of another length are told and not taken; blank ones are none', async () => {
    const { rows, notes } = await read('a,b,c\n1,2,3\n1,2\n1,2,3,4\n1,2,3,\n,,\n\n');
    expect(rows.map((r) => [r.at, r.trouble])).toEqual([
      [2, null],
      [3, 'it has 2 cells, the header 3'],
      [4, 'it has 4 cells, the header 3'],
      [5, null],
      [6, null],
      [7, null],
    ]);
    expect(notes).toEqual([['ragged', 3]]);
  });

  it('two headers alike, none at all, and a first row that is no header', async () => {
    expect((await read('Price,price,,x\n1,2,3,4\n')).columns).toEqual(['Price', 'price (2)', 'Column 3', 'x']);
    const none = await read('1,2\n3,4\n');
    expect([none.columns, none.rows.length, none.notes]).toEqual([['Column 1', 'Column 2'], 2, [['no_header', 1]]]);
    expect((await read('1,2\n3,4\n', { header: true })).columns).toEqual(['1', '2']);
    expect((await read('a,b\n3,4\n', { header: false })).rows).toHaveLength(2);
  });

  it('what cannot be stored is told: NUL, half a letter, too much text', async () => {
    const { rows } = await read(`{"a":"x\\u0000y"}\n{"a":"\\ud800"}\n{"a":"${'z'.repeat(100_001)}"}\n`);
    expect(rows.map((r) => r.trouble)).toEqual([
      'a cell holds a sign that cannot be stored',
      'a cell holds a sign that cannot be stored',
      'a cell has 100,001 characters; 100,000 is most',
    ]);
  });

  it('JSON Lines: members are columns, numbers keep their digits or say so', async () => {
    const { columns, rows } = await read('{"a":1,"b":"x"}\n\n{"c":true,"a":12345678901234567890}\n{"b":[1,2]}\n');
    expect(columns).toEqual(['a', 'b', 'c']);
    expect(rows.map((r) => r.cells)).toEqual([
      ['1', 'x'],
      ['12345678901234567000', null, 'true'],
      [null, '[1,2]'],
    ]);
    expect(rows[1]!.trouble).toContain('too long to be read exactly');
    expect(await refused('{"a":1}\nnot json\n')).toBe('Line 2 is no JSON object: one object stands on each line.');
  });

  it.each([
    ['', 'The file is empty.'],
    ['  \n \n', 'The file is empty.'],
    ['%PDF-1.7 …', 'This is a PDF'],
    [Buffer.from('d0cf11e0a1b11ae1', 'hex'), 'of an old kind (.xls)'],
    [Buffer.from('504b030400000000', 'hex'), 'damaged'],
    ['a,b\n"never closed,1\n', 'A quote'],
  ])('%# is a clear answer', async (bytes, words) => {
    expect(await refused(bytes)).toContain(words);
  });

  describe('a workbook', () => {
    const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
    const book = async (
      sheets: Readonly<Record<string, string>>,
      more: Readonly<Record<string, string>> = {},
    ): Promise<Buffer> => {
      const zip = new ZipFile();
      const add = (name: string, text: string): void => zip.addBuffer(Buffer.from(text), name);
      const names = Object.keys(sheets);
      add(
        'xl/workbook.xml',
        `<workbook xmlns="${main}" xmlns:r="r"><sheets>${names.map((n, i) => `<sheet name="${n}" sheetId="${i + 1}" r:id="r${i}"/>`).join('')}</sheets></workbook>`,
      );
      add(
        'xl/_rels/workbook.xml.rels',
        `<Relationships>${names.map((_, i) => `<Relationship Id="r${i}" Target="worksheets/s${i}.xml"/>`).join('')}</Relationships>`,
      );
      for (const [i, n] of names.entries())
        add(`xl/worksheets/s${i}.xml`, `<worksheet xmlns="${main}"><sheetData>${sheets[n]!}</sheetData></worksheet>`);
      add(
        'xl/styles.xml',
        `<styleSheet xmlns="${main}"><numFmts><numFmt numFmtId="170" formatCode="&quot;day&quot;0"/></numFmts><cellStyleXfs><xf numFmtId="14"/></cellStyleXfs><cellXfs><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="170"/></cellXfs></styleSheet>`,
      );
      for (const [name, text] of Object.entries(more)) add(name, text);
      zip.end();
      const chunks: Buffer[] = [];
      for await (const chunk of zip.outputStream) chunks.push(chunk as Buffer);
      return Buffer.concat(chunks);
    };
    const inline = (text: string): string => `<c t="inlineStr"><is><t>${text}</t></is></c>`;
    const header = `<row r="1">${inline('Code')}${inline('When')}${inline('Amount')}</row>`;

    it('numbers, dates, yes and no, shared and rich texts, gaps', async () => {
      const bytes = await book(
        {
          Data: `${header}<row r="3"><c r="A3" t="s"><v>0</v></c><c r="B3" s="1"><v>46143</v></c><c r="C3"><v>0.30000000000000004</v></c></row>
            <row r="4"><c r="A4" t="s"><v>1</v></c><c r="B4" s="1"><v>46143.5</v></c><c r="C4" s="2"><v>1.5E-3</v></c></row><row r="5"><c r="C5" t="b"><v>1</v></c></row>`,
        },
        {
          'xl/sharedStrings.xml': `<sst xmlns="${main}"><si><t>007</t></si><si><r><t>rich </t></r><r><t>text</t></r><rPh><t>read aloud</t></rPh></si></sst>`,
        },
      );
      const { manner, columns, rows } = await read(bytes);
      expect([manner.format, manner.sheet, columns]).toEqual(['xlsx', 'Data', ['Code', 'When', 'Amount']]);
      expect(rows.map((r) => [r.at, ...r.cells])).toEqual([
        [3, '007', '2026-05-01', '0.3'],
        [4, 'rich text', '2026-05-01 12:00:00', '0.0015'],
        [5, null, null, 'TRUE'],
      ]);
    });

    it('formulas by their results, errors marked, merged areas and long numbers told', async () => {
      const bytes = await book({
        Data: `${header}<row r="2"><c r="A2" t="str"><f>1+1</f><v>two</v></c><c r="B2" t="e"><v>#DIV/0!</v></c><c r="C2"><v>1.23456789012346E+18</v></c></row>`,
      });
      const merged = Buffer.from(bytes);
      const { rows, notes } = await read(merged);
      expect(rows[0]!.cells).toEqual(['two', '\u241b#DIV/0!', '1234567890123460000']);
      expect(notes).toEqual(
        expect.arrayContaining([
          ['formulas', 1],
          ['error_cells', 1],
          ['long_numbers', 1],
        ]),
      );
    });

    it('a sheet is chosen by name; one of nothing, and one that is not there, are told', async () => {
      const bytes = await book({
        First: header,
        Second: `<row>${inline('x')}</row><row>${inline('1')}</row>`,
        Empty: '',
      });
      expect((await read(bytes, { sheet: 'second' })).rows).toHaveLength(1);
      expect(await refused(bytes, { sheet: 'Empty' })).toBe('The sheet “Empty” is empty.');
      expect(await refused(bytes, { sheet: 'Third' })).toBe(
        'There is no sheet “Third”; there are First, Second, Empty.',
      );
    });

    it('a bomb is not opened', async () => {
      const bytes = await book({ Data: `${header}${'<row/>'.repeat(14_000_000)}` });
      expect(bytes.length).toBeLessThan(1_000_000);
      expect(await refused(bytes)).toMatch(
        /^The workbook would grow from 1 MB to 8\d MB: that is no sheet of records\.$/,
      );
    });

    it('an archive that is no workbook, and a part that is no XML', async () => {
      const zip = new ZipFile();
      zip.addBuffer(Buffer.from('x'), 'x.txt');
      zip.end();
      const chunks: Buffer[] = [];
      for await (const chunk of zip.outputStream) chunks.push(chunk as Buffer);
      expect(await refused(Buffer.concat(chunks))).toContain('is an archive, but no workbook');
      expect(await refused(await book({ Data: '<row><c></row>' }))).toContain('a part of it is no XML');
    });
  });
});
