import { Readable } from 'node:stream';
import { ZipFile } from 'yazl';
import type { Column } from './rows';

/** Rows a sheet can hold, its header among them (ECMA-376, as spreadsheets implement it). */
export const mostRows = 1_048_576;
const longestCell = 32_767;

/**
 * A workbook of one sheet (Office Open XML, ECMA-376), written row by row: texts inline, numbers and dates as such, so
 * nothing is kept in memory and no cell is ever a formula.
 */
export function workbook(columns: readonly Column[], rows: AsyncIterable<readonly (string | null)[]>): Readable {
  const zip = new ZipFile();
  const add = (name: string, xml: string): void => zip.addBuffer(Buffer.from(`${head}${xml}`), name);
  add('[Content_Types].xml', contentTypes);
  add('_rels/.rels', relation('officeDocument', 'xl/workbook.xml'));
  add('xl/_rels/workbook.xml.rels', workbookRelations);
  add('xl/workbook.xml', book);
  add('xl/styles.xml', styles);
  zip.addReadStream(Readable.from(sheet(columns, rows)), 'xl/worksheets/sheet1.xml', { compressionLevel: 1 });
  zip.end();
  return zip.outputStream as Readable;
}

async function* sheet(
  columns: readonly Column[],
  rows: AsyncIterable<readonly (string | null)[]>,
): AsyncGenerator<string> {
  yield `${head}<worksheet xmlns="${main}"><sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews><sheetData>`;
  yield `<row>${columns.map((c) => text(c.name, 2)).join('')}</row>`;
  let chunk = '';
  for await (const row of rows) {
    chunk += `<row>${row.map((value, i) => cell(value, columns[i]!)).join('')}</row>`;
    if (chunk.length < 60_000) continue;
    yield chunk;
    chunk = '';
  }
  yield `${chunk}</sheetData></worksheet>`;
}

function cell(value: string | null, { kind }: Column): string {
  if (value === null) return '<c/>';
  if (kind === 'number' && /^-?\d+(\.\d+)?$/.test(value) && value.replace(/\D/g, '').length <= 15)
    return `<c><v>${value}</v></c>`;
  const serial = kind === 'date' ? serialOf(value) : null;
  return serial === null ? text(value) : `<c s="1"><v>${serial}</v></c>`;
}

/** Days since 1899-12-30, for dates that spreadsheets can hold. */
function serialOf(day: string): number | null {
  if (!/^\d{4}-\d\d-\d\d$/.test(day) || day < '1900-03-01') return null;
  return Math.round((Date.parse(day) - Date.UTC(1899, 11, 30)) / 86_400_000);
}

function text(value: string, style = 0): string {
  const safe = value
    .slice(0, longestCell)

    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '')
    .replace(/[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g, '\ufffd')
    .replace(/[&<>]/g, (c) => (c === '&' ? '&amp;' : c === '<' ? '&lt;' : '&gt;'));
  return `<c t="inlineStr"${style ? ` s="${style}"` : ''}><is><t xml:space="preserve">${safe}</t></is></c>`;
}

const head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
const office = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
const packages = 'http://schemas.openxmlformats.org/package/2006';
const sheetType = 'application/vnd.openxmlformats-officedocument.spreadsheetml';

const contentTypes = `<Types xmlns="${packages}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="${sheetType}.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="${sheetType}.worksheet+xml"/><Override PartName="/xl/styles.xml" ContentType="${sheetType}.styles+xml"/></Types>`;
const book = `<workbook xmlns="${main}" xmlns:r="${office}"><sheets><sheet name="Records" sheetId="1" r:id="rId1"/></sheets></workbook>`;
const workbookRelations = `<Relationships xmlns="${packages}/relationships"><Relationship Id="rId1" Type="${office}/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="rId2" Type="${office}/styles" Target="styles.xml"/></Relationships>`;
const styles = `<styleSheet xmlns="${main}"><numFmts count="1"><numFmt numFmtId="164" formatCode="yyyy\\-mm\\-dd"/></numFmts><fonts count="2"><font/><font><b/></font></fonts><fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills><borders count="1"><border/></borders><cellStyleXfs count="1"><xf/></cellStyleXfs><cellXfs count="3"><xf/><xf numFmtId="164" applyNumberFormat="1"/><xf fontId="1" applyFont="1"/></cellXfs></styleSheet>`;

function relation(type: string, target: string): string {
  return `<Relationships xmlns="${packages}/relationships"><Relationship Id="rId1" Type="${office}/${type}" Target="${target}"/></Relationships>`;
}
