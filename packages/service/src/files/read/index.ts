import { fail } from '@tantamos/core';
import { readCsv } from './csv';
import { readJsonLines } from './jsonl';
import type { MannerSaid, Reading } from './reading';
import { headOf } from './text-file';
import { readXlsx } from './xlsx';

/** A file by what is in it, not by what it is called. */
export async function readFile(path: string, said: MannerSaid): Promise<Reading> {
  const head = await headOf(path);
  if (head.length === 0) fail('bad_value', 'The file is empty.', { where: 'file' });
  if (head[0] === 0x50 && head[1] === 0x4b) return readXlsx(path, said);
  if (head.subarray(0, 4).toString('hex') === 'd0cf11e0')
    fail(
      'bad_value',
      'This is a workbook of an old kind (.xls), or one locked by a password: save it as .xlsx without one, or as CSV.',
      {
        where: 'file',
      },
    );
  if (head.subarray(0, 4).toString('latin1') === '%PDF')
    fail('bad_value', 'This is a PDF; values come from CSV, XLSX or JSON Lines.', { where: 'file' });
  if (/^(\ufeff)?\s*\{/.test(head.subarray(0, 200).toString('utf8'))) return readJsonLines(path, said);
  return readCsv(path, said);
}
