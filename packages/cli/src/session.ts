import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';
import { Client } from '@tantamos/client';
import { holding } from './control-characters';

/** Where the CLI keeps who is signed in: a file only its owner can read (XDG Base Directory). */
export const folder = join(process.env.XDG_CONFIG_HOME ?? join(homedir(), '.config'), 'tantamos');
const file = join(folder, 'session.json');
const standard = 'http://127.0.0.1:7410';

/** Where the service of this checkout listens, as its start has left word; else the usual place. */
export const usualService = ofCheckout() ?? standard;

function ofCheckout(): string | undefined {
  try {
    const word = readFileSync(join(__dirname, '../../../node_modules/.cache/tantamos/service.json'), 'utf8');
    return (JSON.parse(word) as { url?: string }).url;
  } catch {
    return undefined;
  }
}

interface Kept {
  readonly service: string;
  readonly token: string;
}

/** A client as the person signed in; TANTAMOS_SERVICE and TANTAMOS_TOKEN go before the kept session. */
export function client(): Client {
  const kept = read();
  const base = process.env.TANTAMOS_SERVICE ?? kept?.service ?? usualService;
  return holding(new Client({ base: base.replace(/\/$/, ''), token: process.env.TANTAMOS_TOKEN ?? kept?.token }));
}

/** What tells this service and person apart from others. */
export function sessionKey(): string {
  const kept = read();
  return `${process.env.TANTAMOS_SERVICE ?? kept?.service ?? usualService} ${process.env.TANTAMOS_TOKEN ?? kept?.token ?? ''}`;
}

export function keep(session: Kept): void {
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  writeFileSync(file, `${JSON.stringify(session, null, 2)}\n`, { mode: 0o600 });
}

export function forget(): void {
  rmSync(file, { force: true });
}

function read(): Kept | undefined {
  try {
    return JSON.parse(readFileSync(file, 'utf8')) as Kept;
  } catch {
    return undefined;
  }
}
