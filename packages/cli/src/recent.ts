import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { isMeant } from '@tantamos/core';
import { folder, sessionKey } from './session';
import { terminalId } from './terminal';
import { UsageError } from './trouble';

// What `last` means: what was made last from this terminal (by the shell it runs in, or the script), with this token. It is
// never another person's, nor an older one where the last one failed.

const file = join(folder, 'last.json');
const mostKept = 100;
export type Kind = 'preview' | 'run' | 'file';
/** How a person gives another one. */
const whichOf: Record<Kind, string> = {
  preview: 'Give its id (tantamos previews).',
  run: 'Give its id (tantamos runs).',
  file: 'Read one: tantamos file read FILE TYPE',
};

interface Entry {
  readonly preview?: string | null;
  readonly run?: string | null;
  readonly file?: string | null;
  readonly at: number;
}

/** Keeps what was made; null while it is being made, so that one that fails leaves none behind. */
export function remember(kind: Kind, id: string | null): void {
  const all = read();
  const key = here();
  const kept = Object.entries({ ...all, [key]: { ...all[key], [kind]: id, at: Date.now() } })
    .sort((a, b) => b[1].at - a[1].at)
    .slice(0, mostKept);
  try {
    mkdirSync(folder, { recursive: true, mode: 0o700 });
    const draft = `${file}.${process.pid}`;
    writeFileSync(draft, JSON.stringify(Object.fromEntries(kept)), { mode: 0o600 });
    renameSync(draft, file);
  } catch {
    // Without a home to keep it in there is no last one.
  }
}

/** The id that `last` stands for; throws where there is none. */
export function last(kind: Kind): string {
  const id = read()[here()]?.[kind];
  if (id) return id;
  throw new UsageError(
    id === null
      ? `The last ${kind} from this terminal failed, and “last” never means an older one. ${whichOf[kind]}`
      : `There is no ${kind} from this terminal yet, so there is no last one. ${whichOf[kind]}`,
  );
}

/** Keeps which file was read last. */
export function rememberFile(id: string): void {
  remember('file', id);
}

/** The file that is meant: the last one where nothing is said, or whose id begins so. */
export function lastFile(said: string | undefined): string {
  if (said === undefined || said === 'last') return last('file');
  if (/^[0-9a-f]{8}-[0-9a-f-]{27}$/i.test(said)) return said;
  const id = read()[here()]?.file;
  if (id && isMeant(id, said)) return id;
  throw new UsageError(`The last file read from this terminal is another than ${said}; enter its whole id.`);
}

function here(): string {
  return createHash('sha256').update(`${sessionKey()} ${terminalId()}`).digest('base64url').slice(0, 22);
}

function read(): Record<string, Entry> {
  try {
    return JSON.parse(readFileSync(file, 'utf8')) as Record<string, Entry>;
  } catch {
    return {};
  }
}
