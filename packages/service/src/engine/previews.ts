import { randomUUID } from 'node:crypto';
import {
  alongOf,
  checkParts,
  defaultSafety,
  firing,
  isSwift,
  usualBatch,
  fail,
  jobSentence,
  list,
  orderOf,
  partsOfJob,
  ProblemError,
  typeNow,
  typeWords,
  type Catalog,
  type CheckedJob,
  type CheckedPart,
  type Context,
  type Job,
  type Safety,
  type Trigger,
  type WorkOrder,
} from '@tantamos/core';
import type { ListReportView } from '@tantamos/contract';
import type { Logger } from 'pino';
import type { Accounts } from '../accounts/accounts';
import type { Person } from '../accounts/rights';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Connection, Database } from '../database/database';
import type { Events } from '../database/events';
import { codeOf, isAboutShape, isTakenAway } from '../database/refusal';
import { reportForPreview } from '../lists/report';
import { Freezer, inverse, type Frozen } from './freezer';
import { keepGiven, unusedGiven } from './given';
import type { Compiler } from './job-compiler';
import { selectPreviews, type Note, type PreviewRow } from './preview-row';

/** How long a process may be silent before another takes its preview up, and how often it says that it is there, in ms. */
const lease = 4000;
const renewEvery = 500;
/** A preview that so many processes died over is not tried again. */
const mostTries = 3;
const lockSpace = 741_002;

interface Task {
  cancelled: boolean;
  connection: Connection | null;
  done: number;
  of: number;
  readonly finished: Promise<void>;
}

/** What is to be worked out: parts of a job or, for an undo, what takes each part of a run back. */
interface Work {
  readonly order: WorkOrder;
  freeze(freezer: Freezer): Promise<Frozen>;
  /** The count is said where it is known. */
  sentence(matched?: number): string;
  /** What is to be said of the preview once it is frozen. */
  notes(previewId: string): Promise<readonly Note[]>;
}

interface Compiled {
  readonly job: Job;
  readonly checked: CheckedJob;
  readonly catalog: Catalog;
  readonly context: Context;
}

/**
 * Makes previews: works a job out in sets, in SQL, in one transaction, and freezes it as batches. A preview that is being
 * worked out is a row with a lease: should its process die, another one takes it up from the beginning.
 */
export class Previews {
  private readonly tasks = new Map<string, Task>();
  private readonly me = randomUUID();
  private timer: NodeJS.Timeout | undefined;
  private closed = false;

  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    private readonly compiler: Compiler,
    private readonly accounts: Accounts,
    private readonly events: Events,
    private readonly log: Logger,
  ) {}

  /** Begins to look for previews that nobody works on any more. */
  start(): void {
    const look = async (): Promise<void> => {
      await this.takeUp().catch((err: unknown) => {
        if (!isTakenAway(err)) this.log.warn({ err }, 'could not look for previews');
      });
      if (!this.closed) this.timer = setTimeout(() => void look(), lease / 4);
    };
    void look();
  }

  /** Checks the job and begins to work it out; the preview is `working` until it is `ready`. Returns its id. */
  async begin(said: Job, person: Person): Promise<string> {
    const { job: checked, catalog, context } = await this.compiler.job(person, said);
    const { type } = checked.selection;
    const safety: Safety = { ...defaultSafety, ...said.safety };
    if (safety.batchSize !== null && safety.batchSize > type.bounds.largestBatch)
      fail('over_limit', `Batches of ${type.label.toLowerCase()} may hold ${type.bounds.largestBatch} records.`, {
        where: 'safety.batchSize',
      });
    const why = await this.why(said.why);
    const listReport = await reportForPreview(this.database, checked.selection);
    // Values given one by one become rows; the job that is kept says which.
    const kept = await keepGiven(this.database, said, checked, person.id);
    const work = this.editWork({ ...kept, catalog, context });
    const id = await this.insert({
      kind: 'edit',
      undoOf: null,
      job: kept.job,
      order: work.order,
      sentence: work.sentence(),
      why,
      account: person.id,
      batchSize: safety.batchSize ?? this.usualSize(work.order, catalog),
      listReport,
      catalog,
    });
    this.work(id, work);
    return id;
  }

  /** Records in a batch where nobody says how many: as the slowest of the parts has them, within what each type allows. */
  private usualSize(order: WorkOrder, catalog: Catalog): number {
    const sizes = order.parts.map((part) => {
      const type = typeNow(catalog, part.type);
      return Math.min(usualBatch(isSwift(part, type)), type.bounds.largestBatch);
    });
    return Math.min(...sizes);
  }

  /** Begins a preview of parts that were put together by the engine itself; `job` says what they are of. */
  async beginParts(parts: readonly CheckedPart[], job: Job, sentence: string, person: Person): Promise<string> {
    checkParts(parts);
    const catalog = await this.catalogs.get();
    const order = orderOf(parts);
    const batchSize = job.safety?.batchSize ?? this.usualSize(order, catalog);
    const id = await this.insert({
      kind: 'edit',
      undoOf: null,
      job,
      order,
      sentence,
      why: await this.why(job.why),
      account: person.id,
      batchSize,
      listReport: null,
      catalog,
    });
    this.work(id, {
      order,
      freeze: (freezer) => freezer.freeze(parts, order),
      sentence: () => sentence,
      notes: async () => [],
    });
    return id;
  }

  /** Begins a preview that would put back what a run changed. */
  async beginUndo(runId: string, source: PreviewRow, account: string, why: string | undefined): Promise<string> {
    const catalog = await this.catalogs.get();
    const order = inverse(source.work_order, catalog);
    const id = await this.insert({
      kind: 'undo',
      undoOf: runId,
      job: source.job,
      order,
      sentence: undoSentence(order, source.sentence, catalog),
      // The reason travels with the work unless another is given.
      why: await this.why(why ?? source.why ?? undefined),
      account,
      batchSize: source.batch_size,
      listReport: source.list_report,
      catalog,
    });
    this.work(id);
    return id;
  }

  /** Waits until this process no longer works on it, or `ms` are over. */
  async settled(id: string, ms: number): Promise<void> {
    const task = this.tasks.get(id);
    if (!task) return;
    let timer: NodeJS.Timeout | undefined;
    await Promise.race([task.finished, new Promise<void>((resolve) => (timer = setTimeout(resolve, ms)))]);
    clearTimeout(timer);
  }

  async get(id: string): Promise<PreviewRow> {
    const row = await this.database.one<PreviewRow>(`${selectPreviews} where p.id = $1`, [id]);
    return row ?? fail('not_found', 'There is no such preview.');
  }

  /** The newest previews that have not been started, newest first. */
  async list(limit: number): Promise<PreviewRow[]> {
    return this.database.rows<PreviewRow>(
      `${selectPreviews} where r.id is null and p.state <> 'cancelled' order by p.made_at desc limit $1`,
      [limit],
    );
  }

  /** Stops working on it, whichever process does, or withdraws a ready one, so that it can never be started. */
  async cancel(id: string): Promise<void> {
    await this.database.rows(
      `update tantamos.preview p set state = 'cancelled'
       where id = $1 and state in ('working', 'ready') and not exists (select from tantamos.run where preview = p.id)`,
      [id],
    );
    this.events.send(`preview ${id}`);
    const task = this.tasks.get(id);
    if (task) await this.giveUp(task);
  }

  /** Gives up what this process works on; another takes it up, or this one when it is back. */
  async close(): Promise<void> {
    this.closed = true;
    clearTimeout(this.timer);
    await Promise.all([...this.tasks.values()].map((task) => this.giveUp(task)));
  }

  private async giveUp(task: Task): Promise<void> {
    task.cancelled = true;
    if (task.connection) await this.database.cancel(task.connection);
    await task.finished;
  }

  private async why(given: string | undefined): Promise<string | null> {
    const why = given?.trim() || null;
    const workspace = await this.database.one<{ why_required: boolean }>('select why_required from tantamos.workspace');
    if (why === null && workspace?.why_required)
      fail('why_required', 'This workspace asks for a reason: say why.', { where: 'why' });
    return why;
  }

  private async insert(p: {
    kind: 'edit' | 'undo';
    undoOf: string | null;
    job: Job;
    order: WorkOrder;
    sentence: string;
    why: string | null;
    account: string;
    batchSize: number;
    listReport: ListReportView | null;
    catalog: Catalog;
  }): Promise<string> {
    // Its maker holds it from the start.
    const row = await this.database.one<{ id: string }>(
      `with made as (
         insert into tantamos.preview (kind, undo_of, type, job, work_order, sentence, why, made_by, batch_size, triggers,
           list_report, expires_at)
         select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, now() + make_interval(hours => preview_hours)
         from tantamos.workspace returning id)
       insert into tantamos.preview_work (preview, holder, lease_until, tries)
       select id, $12, clock_timestamp() + make_interval(secs => $13::float8 / 1000), 1 from made returning preview as id`,
      [
        p.kind,
        p.undoOf,
        p.order.parts[0]!.type,
        p.job,
        p.order,
        p.sentence,
        p.why,
        p.account,
        p.batchSize,
        JSON.stringify(triggersOf(p.order, p.catalog)),
        p.listReport && JSON.stringify(p.listReport),
        this.me,
        lease,
      ],
    );
    return row!.id;
  }

  /** Takes up what a process that died, or was told to end, has left. */
  private async takeUp(): Promise<void> {
    await this.database.rows(
      `delete from tantamos.batch_place h using tantamos.preview p
       where p.id = h.preview and (p.expires_at < now() or p.state = 'cancelled') and not exists (
         select from tantamos.run where run.preview = p.id)`,
    );
    const rows = await this.database.rows<{ preview: string; tries: number }>(
      `update tantamos.preview_work w
       set holder = $1, tries = tries + 1, lease_until = clock_timestamp() + make_interval(secs => $2::float8 / 1000)
       from tantamos.preview p
       where w.preview in (select preview from tantamos.preview_work where lease_until < clock_timestamp() for update skip locked)
         and p.id = w.preview and p.state = 'working' returning w.preview, w.tries`,
      [this.me, lease],
    );
    for (const { preview, tries } of rows) {
      if (tries > mostTries)
        await this.failed(
          preview,
          new ProblemError({
            code: 'unavailable',
            message: 'It could not be worked out: the service stopped over it again and again.',
          }),
        );
      else if (!this.tasks.has(preview)) this.work(preview);
    }
  }

  private work(id: string, given?: Work): void {
    const task: Task = { cancelled: this.closed, connection: null, done: 0, of: 1, finished: Promise.resolve() };
    const timer = setInterval(() => void this.renew(id, task), renewEvery);
    const finished = this.freezeAnew(id, task, given)
      .catch((error: unknown) => (task.cancelled ? undefined : this.failed(id, error)))
      .finally(() => {
        clearInterval(timer);
        this.tasks.delete(id);
        this.events.send(`preview ${id}`);
      });
    this.tasks.set(id, Object.assign(task, { finished }));
  }

  /** Says that this process is still at it and how far; gives up where the preview has been withdrawn or taken over. */
  private async renew(id: string, task: Task): Promise<void> {
    const row = await this.database
      .one<{ state: string }>(
        `update tantamos.preview_work w set done = $3, total = $4, lease_until = clock_timestamp() + make_interval(secs => $5::float8 / 1000)
         from tantamos.preview p where w.preview = $1 and w.holder = $2 and p.id = w.preview returning p.state`,
        [id, this.me, task.done, task.of, lease],
      )
      .catch(() => null);
    this.events.send(`preview ${id}`);
    if (row === null || row?.state === 'working' || !this.tasks.has(id)) return;
    task.cancelled = true;
    if (task.connection) await this.database.cancel(task.connection);
  }

  /** Where the tables have been altered since the job was checked, it is checked and worked out once more. */
  private async freezeAnew(id: string, task: Task, given?: Work): Promise<void> {
    try {
      await this.freeze(id, task, given);
    } catch (error) {
      if (!isAboutShape(error)) throw error;
      this.catalogs.refresh();
      await this.freeze(id, task);
    }
  }

  private async freeze(id: string, task: Task, given?: Work): Promise<void> {
    const row = await this.get(id);
    const { order, freeze, sentence, notes } = given ?? (await this.workOf(row));
    await this.database.transaction('repeatable read', async (connection) => {
      task.connection = connection;
      await connection.query(`set local work_mem = '64MB'`);
      const until = await timeLimit(connection);
      // A process that was thought dead and is not keeps the others out: only one of them freezes.
      await connection.query('select pg_advisory_xact_lock($1, hashtext($2))', [lockSpace, id]);
      const freezer = new Freezer(this.database, connection, {
        previewId: id,
        batchSize: row.batch_size,
        progress: (done, of) => {
          Object.assign(task, { done, of });
          if (task.cancelled) throw new Cancelled();
          if (Date.now() > until.at) throw tooLong(until.minutes);
        },
      });
      const frozen = await freeze(freezer);
      await writeTotals(connection, id, order, frozen, sentence);
      task.connection = null;
    });
    // Apart from the set itself: what it says can be looked up later, and holds nobody up.
    const said = await notes(id);
    if (said.length > 0)
      await this.database.rows('update tantamos.preview set notes = $2 where id = $1', [id, JSON.stringify(said)]);
    await this.database.rows('delete from tantamos.preview_work where preview = $1', [id]);
  }

  /** The work a preview's row stands for: the same whichever process takes it up. */
  private async workOf(row: PreviewRow): Promise<Work> {
    if (row.kind === 'undo') {
      const catalog = await this.catalogs.get();
      const source = await this.database.one<{ sentence: string }>(
        'select p.sentence from tantamos.preview p join tantamos.run on run.preview = p.id where run.id = $1',
        [row.undo_of],
      );
      return {
        order: row.work_order,
        freeze: (freezer) => freezer.freezeUndo(row.undo_of!, row.work_order, catalog),
        sentence: (matched) => undoSentence(row.work_order, source!.sentence, catalog, matched),
        notes: async () => [],
      };
    }
    const person = await this.accounts.person(row.made_by);
    const { job, ...rest } = await this.compiler.job(person, row.job, BigInt(row.work_order.env.now));
    return this.editWork({ job: row.job, checked: job, ...rest });
  }

  private editWork({ job, checked, catalog, context }: Compiled): Work {
    const parts = partsOfJob(checked);
    const order = orderOf(parts);
    return {
      order,
      freeze: (freezer) => freezer.freeze(parts, order),
      sentence: (matched) => jobSentence(job, catalog, context, matched),
      notes: (id) => unusedGiven(this.database, id, parts[0]!),
    };
  }

  private async failed(id: string, error: unknown): Promise<void> {
    this.log.error({ err: error, preview: id }, 'preview failed');
    await this.database
      .rows(`update tantamos.preview set state = 'failed', trouble = $2 where id = $1 and state = 'working'`, [
        id,
        troubleWords(error),
      ])
      .catch((err: unknown) => this.log.error({ err }, 'preview state not written'));
    this.events.send(`preview ${id}`);
  }
}

class Cancelled extends Error {}

/**
 * A transaction as long as a preview holds back the cleaning of every table (vacuum), so it is given so long at most: by a
 * limit on each statement, and by the time it is in between.
 */
async function timeLimit(connection: Connection): Promise<{ at: number; minutes: number }> {
  const { rows } = await connection.query<{ minutes: number }>(
    `select preview_minutes as minutes, set_config('statement_timeout', (preview_minutes * 60000)::text, true) from tantamos.workspace`,
  );
  const { minutes } = rows[0]!;
  return { at: Date.now() + minutes * 60_000, minutes };
}

function tooLong(minutes: number): ProblemError {
  return new ProblemError({
    code: 'too_slow',
    message: `It was given up after ${minutes === 1 ? 'a minute' : `${minutes} minutes`}: a longer one would hold back the database’s own cleaning (vacuum). Narrow the selection, or have an administrator allow more (preview minutes).`,
  });
}

async function writeTotals(
  connection: Connection,
  id: string,
  order: WorkOrder,
  { batches, pairs }: Frozen,
  sentence: (matched: number) => string,
): Promise<void> {
  const { rows } = await connection.query<{ matched: number }>(
    `update tantamos.preview p set state = 'ready', ready_at = clock_timestamp(), batches = $2, pairs = $3, more_pairs = $4,
       work_order = $5, matched = t.matched, will_change = t.will_change, already_right = t.already_right,
       not_allowed = t.not_allowed, edited_since = t.edited_since, gone = t.gone,
       along = array(select coalesce((select sum(cardinality(owners)) from tantamos.batch_along where preview = p.id and along = n), 0)
         from generate_series(0, $6::int - 1) n order by n),
       causes = coalesce((
         select jsonb_agg(jsonb_build_object('cause', c.cause, 'count', c.count) order by c.count desc) from (
           select cause, count(*) as count from tantamos.batch b, unnest(b.causes) cause
           where b.preview = p.id and b.causes is not null and cause is not null group by cause) c), '[]')
     from (select coalesce(sum(size), 0) as matched, coalesce(sum(will_change), 0) as will_change,
         coalesce(sum(already_right), 0) as already_right, coalesce(sum(not_allowed), 0) as not_allowed,
         coalesce(sum(edited_since), 0) as edited_since, coalesce(sum(gone), 0) as gone
       from tantamos.batch where preview = $1) t
     where p.id = $1 and p.state = 'working' returning p.matched`,
    [id, batches, JSON.stringify(pairs.list()), JSON.stringify(pairs.more()), order, alongOf(order).length],
  );
  if (!rows[0]) throw new Cancelled();
  await connection.query('update tantamos.preview set sentence = $2 where id = $1', [id, sentence(rows[0].matched)]);
}

/** Whose doings the database adds to what is written. */
function triggersOf(order: WorkOrder, catalog: Catalog): Trigger[] {
  return order.parts.flatMap((part) => [
    ...firing(typeNow(catalog, part.type), part.act, part.writes),
    ...part.along.flatMap((a) => {
      const act = a.act === 'create' || a.act === 'delete' ? a.act : 'update';
      return firing(typeNow(catalog, a.type), act, a.writes);
    }),
  ]);
}

function undoSentence(order: WorkOrder, source: string, catalog: Catalog, count?: number): string {
  const part = order.parts[0]!;
  const type = catalog.find(part.type);
  const number = count === undefined ? '' : `${count.toLocaleString('en-US')} `;
  const which = `${number}${type ? typeWords(type) : part.type}`;
  if (order.parts.length > 1 || part.act !== 'update') return `Take back what was done to the ${which} by: ${source}`;
  const fields = part.writes.map((name) => type?.fields.find((f) => f.name === name)?.label.toLowerCase() ?? name);
  return `Put ${list(fields, 'and')} back on the ${which} changed by: ${source}`;
}

function troubleWords(error: unknown): string {
  if (error instanceof ProblemError) return error.message;
  if (codeOf(error) === '57014')
    return 'It was given up: it took longer than a preview may (preview minutes), which would hold back the database’s own cleaning (vacuum).';
  if (codeOf(error)) return `The database could not work it out: ${(error as Error).message}`;
  return 'It could not be worked out; the log of the service says why.';
}
