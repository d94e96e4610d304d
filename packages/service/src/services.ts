import type { Logger } from 'pino';
import { Accounts } from './accounts/accounts';
import { CatalogStore } from './catalog/catalog-store';
import { Database } from './database/database';
import { Events } from './database/events';
import { migrate } from './database/migrate';
import { preflight, type Ground } from './database/preflight';
import { Engine, usualPatience } from './engine/engine';
import type { Patience } from './engine/batch';
import { Compiler } from './engine/job-compiler';
import { Previews } from './engine/previews';
import { Runs } from './engine/runs';
import { SavedSelections } from './selections/saved';

/** Everything a running service consists of. */
export interface Services {
  readonly database: Database;
  readonly catalogs: CatalogStore;
  readonly events: Events;
  readonly accounts: Accounts;
  readonly compiler: Compiler;
  readonly saved: SavedSelections;
  readonly previews: Previews;
  readonly runs: Runs;
  readonly engine: Engine;
  readonly log: Logger;
  /** Why nothing can be changed in this database, in a sentence; null where it can. */
  readonly readOnly: string | null;
  /** Called when the schema has been taken away under the service: there is nothing more it can do. */
  gone(): void;
  close(): Promise<void>;
}

async function groundAt(url: string): Promise<Ground> {
  const client = await new Database({ url }).listener();
  try {
    return await preflight(client);
  } finally {
    await client.end();
  }
}

/** Connects, migrates, picks up what a service before this one left unfinished. */
export async function openServices(options: {
  url: string;
  log: Logger;
  patience?: Patience;
  gone?: () => void;
}): Promise<Services> {
  const { log, url } = options;
  const { readOnly, searchPath } = await groundAt(url);
  const database = new Database({ url, searchPath });
  try {
    await migrate(database, readOnly);
  } catch (error) {
    await database.close();
    throw error;
  }
  const catalogs = new CatalogStore(database, readOnly);
  const compiler = new Compiler(database, catalogs);
  const events = new Events(database, log);
  const accounts = new Accounts(database, readOnly !== null);
  const previews = new Previews(database, catalogs, compiler, accounts, events, log);
  const saved = new SavedSelections(database, compiler);
  const engine = new Engine(database, catalogs, events, log, options.patience ?? usualPatience);
  const runs = new Runs(database, catalogs, previews, events, () => engine.wake());
  if (readOnly === null) {
    await events.start();
    previews.start();
    engine.start(runs);
  }
  return {
    database,
    catalogs,
    accounts,
    events,
    compiler,
    saved,
    previews,
    runs,
    engine,
    log,
    readOnly,
    gone: options.gone ?? (() => {}),
    async close() {
      await engine.close();
      await previews.close();
      await events.close();
      await database.close();
    },
  };
}
