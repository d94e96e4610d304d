import type { Logger } from 'pino';
import { Accounts } from './accounts/accounts';
import { CatalogStore } from './catalog/catalog-store';
import { Database } from './database/database';
import { Events } from './database/events';
import { grantEveryday, migrate } from './database/migrate';
import { preflight, type Ground } from './database/preflight';
import { Spending } from './spending';
import { newWorkerName, Workers } from './workers/workers';
import { settleHere, whereAmI, whyAway } from './keeping/home';
import { Keeper } from './keeping/keeper';
import { Drafts } from './drafts/drafts';
import { Engine, usualPatience } from './engine/engine';
import type { Patience } from './engine/batch';
import { Compiler } from './jobs/compiler';
import { Previews } from './previews/previews';
import { Works } from './previews/work';
import { PreviewWorker } from './previews/worker';
import { Gate } from './rights/gate';
import { RightsStore } from './rights/store';
import { Rules } from './rules/rules';
import { Runs } from './runs/runs';
import { SavedJobs } from './saved-jobs/saved-jobs';
import { SavedSelections } from './selections/saved';
import { Room } from './storage/room';

/** Everything a running service consists of. */
export interface Services {
  readonly database: Database;
  /** By the account that owns the schema `tantamos`; the same where there is one account. */
  readonly ownersDatabase: Database;
  readonly catalogs: CatalogStore;
  readonly events: Events;
  readonly accounts: Accounts;
  readonly rights: RightsStore;
  /** What each person may see and do. */
  readonly gate: Gate;
  readonly drafts: Drafts;
  readonly compiler: Compiler;
  readonly saved: SavedSelections;
  readonly rules: Rules;
  readonly savedJobs: SavedJobs;
  readonly previews: Previews;
  readonly runs: Runs;
  readonly engine: Engine;
  readonly keeper: Keeper;
  /** How much is kept, and how much may be. */
  readonly room: Room;
  /** How much of what they ask is compiled for each person. */
  readonly spending: Spending;
  readonly log: Logger;
  /** Why nothing can be changed in this database, in a sentence; null where it can. */
  readonly readOnly: string | null;
  /** It is only that the database is a copy. */
  readonly isCopy: boolean;
  /** Says that a copy of a database is at home here now: what was under way in it is paused, and work goes on. */
  settle(): Promise<void>;
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

interface OpenOptions {
  url: string;
  /** Account that owns the schema `tantamos`, where that is not the everyday one. */
  ownerUrl?: string;
  log: Logger;
  patience?: Patience;
  gone?: () => void;
  /** Batches wait for the disk. */
  awaitsCommits?: boolean;
}

/** Connects, migrates, picks up what a service before this one left unfinished. */
export function openServices(options: OpenOptions): Promise<Services> {
  return open(options, false);
}

/** Answers requests next to a service that is open already: it does not migrate, and looks for no work of its own. */
export function openHelper(options: Pick<OpenOptions, 'url' | 'log'>): Promise<Services> {
  return open(options, true);
}

/** Connections for control data of a helper: it answers few requests at a time. */
const helperConnections = 6;

async function open(options: OpenOptions, isHelper: boolean): Promise<Services> {
  const { log, url } = options;
  const { readOnly, searchPath } = await groundAt(url);
  const workerName = newWorkerName();
  const database = new Database({
    url,
    worker: workerName,
    searchPath,
    awaitsCommits: options.awaitsCommits,
    ...(isHelper ? { connections: helperConnections, lanes: 1 } : {}),
  });
  // With two accounts the everyday one cannot alter what is frozen; the other migrates, and drops what is kept no longer.
  const ownersDatabase = options.ownerUrl
    ? new Database({ url: options.ownerUrl, connections: 2, worker: workerName })
    : database;
  try {
    if (!isHelper) await migrate(ownersDatabase, readOnly);
    if (ownersDatabase !== database && readOnly === null) await grantEveryday(ownersDatabase, database);
  } catch (error) {
    await database.close();
    if (ownersDatabase !== database) await ownersDatabase.close();
    throw error;
  }
  const here = await whereAmI(database);
  let held = readOnly ?? (await whyAway(database, here));
  const catalogs = new CatalogStore(database, () => held);
  const spending = new Spending();
  const compiler = new Compiler(database, catalogs, spending);
  const events = new Events(database, log);
  const keeper = new Keeper(ownersDatabase, log);
  const rights = new RightsStore(database);
  const gate = new Gate(catalogs, rights);
  const accounts = new Accounts(database, rights, readOnly !== null);
  const works = new Works(database, compiler, accounts, gate);
  const worker = new PreviewWorker(database, catalogs, works, events, log);
  const room = new Room(database);
  const previews = new Previews(database, catalogs, compiler, works, worker, events, room);
  const saved = new SavedSelections(database, compiler);
  const rules = new Rules(database, catalogs, compiler, log);
  const engine = new Engine(database, catalogs, accounts, gate, events, log, options.patience ?? usualPatience);
  const runs = new Runs(database, catalogs, previews, events, () => engine.wake());
  const accountsOf = ownersDatabase === database ? [database] : [database, ownersDatabase];
  const workers = new Workers(workerName, database, accountsOf, log, (ids, words) => runs.note(ids, words));
  let isWorking = false;
  const work = async (): Promise<void> => {
    if (isWorking || isHelper) return;
    isWorking = true;
    await workers.start();
    worker.start();
    engine.start(runs);
    rules.start();
    await keeper.start();
  };
  if (readOnly === null) await events.start();
  if (held === null) await work();
  // Said to another service of the same database, it holds for this one too.
  const heard = setInterval(() => {
    if (readOnly !== null || held === null) return;
    void whyAway(database, here)
      .then(async (why) => {
        if (why !== null || held === null) return;
        held = null;
        catalogs.refresh();
        await work();
      })
      .catch(() => {});
  }, 5000);
  heard.unref();
  return {
    database,
    ownersDatabase,
    catalogs,
    accounts,
    rights,
    gate,
    drafts: new Drafts(database),
    events,
    compiler,
    saved,
    rules,
    savedJobs: new SavedJobs(database, compiler, accounts),
    previews,
    runs,
    engine,
    keeper,
    spending,
    room,
    log,

    get readOnly() {
      return held;
    },
    get isCopy() {
      return readOnly === null && held !== null;
    },
    async settle() {
      if (readOnly !== null || held === null) return;
      await runs.pauseAll('The database was copied while it ran: see whether it goes on where it came from.');
      await settleHere(database, here);
      held = null;
      catalogs.refresh();
      await work();
    },
    gone: options.gone ?? (() => {}),
    async close() {
      clearInterval(heard);
      keeper.close();
      rules.close();
      await engine.close();
      await worker.close();
      await events.close();
      await workers.close();
      await database.close();
      if (ownersDatabase !== database) await ownersDatabase.close();
    },
  };
}
