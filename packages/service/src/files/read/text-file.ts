import { createReadStream } from 'node:fs';
import { open } from 'node:fs/promises';
import { fail } from '@tantamos/core';
import iconv from 'iconv-lite';

// Files of text: which encoding they are in, and their text as it comes.

const looked = 256 * 1024;

/** The beginning of a file. */
export async function headOf(path: string): Promise<Buffer> {
  const file = await open(path, 'r');
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(looked), 0, looked, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}

/** The encoding (WHATWG or IANA name) of a text, by its mark or by whether it is UTF-8; the last is a guess. */
export function encodingOf(head: Buffer): { readonly encoding: string; readonly isGuess: boolean } {
  if (head[0] === 0xff && head[1] === 0xfe) return { encoding: 'utf-16le', isGuess: false };
  if (head[0] === 0xfe && head[1] === 0xff) return { encoding: 'utf-16be', isGuess: false };
  if (head[0] === 0xef && head[1] === 0xbb && head[2] === 0xbf) return { encoding: 'utf-8', isGuess: false };
  // Every second byte nothing: UTF-16 without its mark.
  const pairs = Math.min(head.length, 2000) >> 1;
  let low = 0;
  let high = 0;
  for (let i = 0; i < pairs; i++) {
    if (head[2 * i + 1] === 0) low++;
    if (head[2 * i] === 0) high++;
  }
  if (pairs > 4 && low > pairs * 0.6) return { encoding: 'utf-16le', isGuess: false };
  if (pairs > 4 && high > pairs * 0.6) return { encoding: 'utf-16be', isGuess: false };
  return isUtf8(head) ? { encoding: 'utf-8', isGuess: false } : { encoding: 'windows-1252', isGuess: true };
}

function isUtf8(head: Buffer): boolean {
  // A letter may be cut at the end of what is looked at.
  const end = head.length === looked ? head.length - 4 : head.length;
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(head.subarray(0, end), { stream: head.length === looked });
    return true;
  } catch {
    return false;
  }
}

export function mustBeEncoding(said: string): string {
  if (iconv.encodingExists(said)) return said.toLowerCase();
  return fail(
    'bad_value',
    `“${(said as string).slice(0, 40)}” is no encoding; utf-8, utf-16le, windows-1252 and iso-8859-1 are some.`,
    {
      where: 'encoding',
    },
  );
}

/** The text of a file, piece by piece; throws where a byte is none of a UTF-8 that it began as. */
export async function* textOf(path: string, encoding: string): AsyncGenerator<string> {
  if (encoding === 'utf-8') {
    const decoder = new TextDecoder('utf-8', { fatal: true });
    let read = 0;
    try {
      for await (const chunk of createReadStream(path) as AsyncIterable<Buffer>) {
        yield decoder.decode(chunk, { stream: true });
        read += chunk.length;
      }
      yield decoder.decode();
    } catch (error) {
      if ((error as { code?: string }).code !== 'ERR_ENCODING_INVALID_ENCODED_DATA') throw error;
      fail(
        'bad_value',
        `The file begins as UTF-8, but after some ${read.toLocaleString('en-US')} bytes there is what is none. Say its encoding, such as windows-1252.`,
        { where: 'encoding', suggestions: ['windows-1252'] },
      );
    }
    return;
  }
  const decoder = iconv.getDecoder(encoding);
  let isFirst = true;
  for await (const chunk of createReadStream(path) as AsyncIterable<Buffer>) {
    const text = decoder.write(chunk);
    yield isFirst ? text.replace(/^\ufeff/, '') : text;
    isFirst = false;
  }
  yield decoder.end() ?? '';
}
