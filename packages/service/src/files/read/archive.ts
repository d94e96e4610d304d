import type { Readable } from 'node:stream';
import yauzl, { type Entry, type ZipFile } from 'yauzl';
import { fail } from '@tantamos/core';

/** Bytes that may come out of one entry: more is no sheet of records. */
const mostInflated = 2 * 1024 * 1024 * 1024;
/** What comes out may be so many times what went in, beyond a size that does no harm. */
const mostRatio = 400;
const harmless = 64 * 1024 * 1024;
const mostEntries = 10_000;

/** A ZIP archive whose entries are read one by one; what would come out of it is looked at before anything does. */
export interface Archive {
  has(name: string): boolean;
  /** The text of an entry, piece by piece. */
  text(name: string): AsyncGenerator<string>;
  close(): void;
}

export async function openArchive(path: string): Promise<Archive> {
  const zip = await new Promise<ZipFile>((resolve, reject) =>
    yauzl.open(path, { lazyEntries: true, autoClose: false }, (error, file) => (error ? reject(error) : resolve(file))),
  ).catch((error: unknown) => unreadable(error));
  const entries = await entriesOf(zip).catch((error: unknown) => {
    zip.close();
    throw error;
  });
  return {
    has: (name) => entries.has(name),
    close: () => zip.close(),
    async *text(name) {
      const entry = entries.get(name);
      if (!entry) return;
      mustNotBurst(entry);
      const stream = await new Promise<Readable>((resolve, reject) =>
        zip.openReadStream(entry, (error, opened) => (error ? reject(error) : resolve(opened))),
      ).catch((error: unknown) => unreadable(error));
      const decoder = new TextDecoder('utf-8');
      try {
        for await (const chunk of stream as AsyncIterable<Buffer>) yield decoder.decode(chunk, { stream: true });
        yield decoder.decode();
      } catch (error) {
        unreadable(error);
      } finally {
        stream.destroy();
      }
    },
  };
}

function entriesOf(zip: ZipFile): Promise<ReadonlyMap<string, Entry>> {
  return new Promise((resolve, reject) => {
    const entries = new Map<string, Entry>();
    zip.on('entry', (entry: Entry) => {
      entries.set(entry.fileName.replace(/^\//, ''), entry);
      if (entries.size > mostEntries) reject(problem(`holds more than ${mostEntries.toLocaleString('en-US')} parts`));
      else zip.readEntry();
    });
    zip.once('end', () => resolve(entries));
    zip.once('error', () => reject(problem('is damaged')));
    zip.readEntry();
  });
}

function mustNotBurst({ uncompressedSize: size, compressedSize: packed, ...entry }: Entry): void {
  if ((entry.generalPurposeBitFlag & 1) !== 0) throw problem('is locked by a password: save it without one');
  if (size > mostInflated || (size > harmless && size > packed * mostRatio))
    throw problem(`would grow from ${megabytes(packed)} to ${megabytes(size)}: that is no sheet of records`);
}

const megabytes = (bytes: number): string => `${Math.ceil(bytes / 1024 / 1024).toLocaleString('en-US')} MB`;

function unreadable(error: unknown): never {
  if (error instanceof Error && 'problems' in error) throw error;
  throw problem('is damaged');
}

function problem(what: string): Error {
  try {
    return fail('bad_value', `The workbook ${what}.`, { where: 'file' });
  } catch (error) {
    return error as Error;
  }
}
