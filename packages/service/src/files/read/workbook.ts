import { SaxesParser } from 'saxes';
import { fail } from '@tantamos/core';
import { openArchive, type Archive } from './archive';

// The parts of a workbook (Office Open XML, ECMA-376) that say how its sheets are read.

/** Characters of the texts that its cells share, all of which are held. */
const mostShared = 80_000_000;

export interface Workbook {
  readonly archive: Archive;
  /** Names of its sheets, in order, and where each stands in the archive. */
  readonly sheets: ReadonlyMap<string, string>;
  /** Texts that cells point at. */
  readonly texts: readonly string[];
  /** Styles that show a number as a date, as a time of day, or as both. */
  readonly dates: ReadonlySet<number>;
  readonly countsFrom1904: boolean;
}

export interface Tag {
  readonly name: string;
  readonly attributes: Readonly<Record<string, string>>;
}

/** Reads XML as it comes: calls as tags open, close, and with what stands between; rests after each piece. */
export async function* tagsOf(
  pieces: AsyncIterable<string>,
  hear: { open?: (tag: Tag) => void; close?: (name: string) => void; text?: (text: string) => void },
): AsyncGenerator<void> {
  const parser = new SaxesParser();
  const plain = (name: string): string => name.slice(name.indexOf(':') + 1);
  let broken: Error | undefined;
  parser.on('error', (error) => (broken ??= error));
  // What an attribute is called matters, not of which namespace it is.
  if (hear.open)
    parser.on('opentag', ({ name, attributes }) =>
      hear.open!({
        name: plain(name),
        attributes: Object.fromEntries(Object.entries(attributes).map(([k, v]) => [plain(k), String(v)])),
      }),
    );
  if (hear.close) parser.on('closetag', ({ name }) => hear.close!(plain(name)));
  if (hear.text) {
    parser.on('text', hear.text);
    parser.on('cdata', hear.text);
  }
  // A part that is not there is as one that says nothing.
  let isThere = false;
  for await (const piece of pieces) {
    isThere ||= piece !== '';
    parser.write(piece);
    if (broken) fail('bad_value', 'The workbook is damaged: a part of it is no XML.', { where: 'file' });
    yield;
  }
  if (!isThere) return;
  parser.close();
  if (broken) fail('bad_value', 'The workbook is damaged: a part of it is no XML.', { where: 'file' });
}

async function heard(pieces: AsyncIterable<string>, hear: Parameters<typeof tagsOf>[1]): Promise<void> {
  for await (const _ of tagsOf(pieces, hear));
}

export async function openWorkbook(path: string): Promise<Workbook> {
  const archive = await openArchive(path);
  try {
    if (!archive.has('xl/workbook.xml'))
      fail('bad_value', 'The file is an archive, but no workbook: a .xlsx file is one.', { where: 'file' });
    const { named, countsFrom1904 } = await sheetsOf(archive);
    const targets = await targetsOf(archive);
    const sheets = new Map(
      named.flatMap(({ name, id }): [string, string][] => {
        const at = targets.get(id);
        return at !== undefined && archive.has(at) ? [[name, at]] : [];
      }),
    );
    if (sheets.size === 0) fail('bad_value', 'The workbook has no sheet.', { where: 'file' });
    return { archive, sheets, countsFrom1904, texts: await textsOf(archive), dates: await datesOf(archive) };
  } catch (error) {
    archive.close();
    throw error;
  }
}

async function sheetsOf(archive: Archive) {
  const named: { name: string; id: string }[] = [];
  let countsFrom1904 = false;
  await heard(archive.text('xl/workbook.xml'), {
    open({ name, attributes: a }) {
      if (name === 'sheet' && a.name !== undefined) named.push({ name: a.name, id: a.id ?? '' });
      if (name === 'workbookPr') countsFrom1904 = a.date1904 === '1' || a.date1904 === 'true';
    },
  });
  return { named, countsFrom1904 };
}

async function targetsOf(archive: Archive): Promise<ReadonlyMap<string, string>> {
  const targets = new Map<string, string>();
  await heard(archive.text('xl/_rels/workbook.xml.rels'), {
    open({ name, attributes: a }) {
      if (name !== 'Relationship' || a.Id === undefined || a.Target === undefined) return;
      targets.set(a.Id, a.Target.startsWith('/') ? a.Target.slice(1) : `xl/${a.Target}`);
    },
  });
  return targets;
}

async function textsOf(archive: Archive): Promise<readonly string[]> {
  const texts: string[] = [];
  let text = '';
  let held = 0;
  let isOpen = false;
  // How a word is read aloud is not part of it.
  let spoken = false;
  await heard(archive.text('xl/sharedStrings.xml'), {
    open({ name }) {
      if (name === 'si') text = '';
      if (name === 't') isOpen = true;
      if (name === 'rPh') spoken = true;
    },
    text(t) {
      if (!isOpen || spoken) return;
      held += t.length;
      if (held > mostShared)
        fail('over_limit', 'The workbook holds more text than can be read: save the sheet as CSV.', { where: 'file' });
      text += t;
    },
    close(name) {
      if (name === 't') isOpen = false;
      if (name === 'rPh') spoken = false;
      if (name === 'si') texts.push(text);
    },
  });
  return texts;
}

/** Formats that come with the program and show dates or times (ECMA-376 part 1, 18.8.30). */
const builtIn = new Set([14, 15, 16, 17, 18, 19, 20, 21, 22, 27, 30, 36, 45, 46, 47, 50, 57]);

async function datesOf(archive: Archive): Promise<ReadonlySet<number>> {
  const formats = new Map<number, boolean>();
  const dates = new Set<number>();
  let inCells = false;
  let style = 0;
  await heard(archive.text('xl/styles.xml'), {
    open({ name, attributes: a }) {
      if (name === 'numFmt') formats.set(Number(a.numFmtId), showsTime(a.formatCode ?? ''));
      if (name === 'cellXfs') inCells = true;
      if (name !== 'xf' || !inCells) return;
      const format = Number(a.numFmtId ?? 0);
      if (formats.get(format) ?? builtIn.has(format)) dates.add(style);
      style++;
    },
    close(name) {
      if (name === 'cellXfs') inCells = false;
    },
  });
  return dates;
}

/** Does a format show days or hours? Words in quotes, colours and currencies in brackets are none. */
function showsTime(code: string): boolean {
  return /[dmyhs]/i.test(code.replace(/"[^"]*"|\[[^\]]*\]|\\./g, ''));
}
