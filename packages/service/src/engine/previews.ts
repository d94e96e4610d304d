import {
  defaultSafety,
  fail,
  freezeJob,
  freezeUndo,
  jobSentence,
  list,
  planOf,
  ProblemError,
  typeWords,
  type Catalog,
  type CheckedJob,
  type Job,
  type Plan,
  type RecordType,
  type Safety,
  type Sql,
  type Trigger,
} from '@tantamos/core';
import type { Logger } from 'pino';
import type { CatalogStore } from '../catalog/catalog-store';
import { askOn, type Connection, type Database } from '../database/database';
import { codeOf } from '../database/refusal';
import type { Compiler } from './job-compiler';
import type { Person } from '../accounts/rights';
import type { ListReportView } from '@tantamos/contract';
import { reportForPreview } from '../lists/report';
import { PairCounts } from './pair-counts';
import { selectPreviews, type PreviewRow } from './preview-row';
import { keyRanges } from './ranges';

/** Where a preview that is being worked out has got to. */
export interface Progress {
  readonly done: number;
  readonly of: number;
}

interface Task {
  progress: Progress;
  cancelled: boolean;
  connection: Connection | null;
  readonly finished: Promise<void>;
}

/** What is frozen by one statement after another. */
interface Work {
  readonly pieces: readonly ((position: number) => Sql)[];
  readonly fields: readonly string[];
}

const lockSpace = 741_002;

/** Makes previews: works a job out in sets, in SQL, in one transaction, and freezes it as batches. */
export class Previews {
  private readonly tasks = new Map<string, Task>();
  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    private readonly compiler: Compiler,
    private readonly log: Logger,
  ) {}

  /** Checks the job and begins to work it out; the preview is `working` until it is `ready`. Returns its id. */
  async begin(job: Job, person: Person): Promise<string> {
    const { job: checked, catalog, context } = await this.compiler.job(person, job);
    const { type } = checked.selection;
    const safety: Safety = { ...defaultSafety, ...job.safety };
    if (safety.batchSize > type.bounds.largestBatch)
      fail('over_limit', `Batches of ${type.label.toLowerCase()} may hold ${type.bounds.largestBatch} records.`, {
        where: 'safety.batchSize',
      });
    const why = await this.why(job.why);
    const plan = planOf(checked);
    const listed = await reportForPreview(this.database, checked.selection);
    const sentence = jobSentence(job, catalog, context);
    const id = await this.insert({
      kind: 'edit',
      undoOf: null,
      type,
      job,
      plan,
      sentence,
      why,
      account: person.id,
      batchSize: safety.batchSize,
      listReport: listed,
    });
    this.start(
      id,
      async () => {
        const ranges = await keyRanges(this.database, checked.selection);
        return {
          fields: plan.writes,
          pieces: ranges.map((range) => this.freezer(checked, catalog, range, id, safety.batchSize)),
        };
      },
      (matched) => jobSentence(job, catalog, context, matched),
    );
    return id;
  }

  /** Begins a preview that would put back what a run changed. */
  async beginUndo(
    runId: string,
    source: PreviewRow,
    batches: number,
    account: string,
    why: string | undefined,
  ): Promise<string> {
    const catalog = await this.catalogs.get();
    const { plan, job } = source;
    const type = catalog.type(plan.type);
    const fields = list(
      plan.writes.map((name) => type.fields.find((f) => f.name === name)?.label.toLowerCase() ?? name),
      'and',
    );
    const sentence = (count?: number): string => {
      const number = count === undefined ? '' : `${count.toLocaleString('en-US')} `;
      return `Put ${fields} back on the ${number}${typeWords(type)} changed by: ${source.sentence}`;
    };
    // The reason travels with the work unless another is given.
    const words = await this.why(why ?? source.why ?? undefined);
    const batchSize = source.batch_size;
    const id = await this.insert({
      kind: 'undo',
      undoOf: runId,
      type,
      job,
      plan,
      sentence: sentence(),
      why: words,
      account,
      batchSize,
      listReport: source.list_report,
    });
    this.start(
      id,
      async () => {
        const step = Math.max(1, Math.floor(100_000 / batchSize));
        const count = Math.max(1, Math.ceil(batches / step));
        // The last batches first: what was changed last is put back first.
        const stretches = Array.from({ length: count }, (_, i) => ({
          from: (count - 1 - i) * step,
          to: (count - i) * step,
        }));
        const pieces = stretches.map(
          (stretch) => (firstPosition: number) =>
            freezeUndo(plan, catalog, runId, stretch, { previewId: id, firstPosition, batchSize }),
        );
        return { fields: plan.writes, pieces };
      },
      sentence,
    );
    return id;
  }

  /** Waits until the preview is worked out, at most `ms`. */
  async settled(id: string, ms: number): Promise<void> {
    const task = this.tasks.get(id);
    if (!task) return;
    let timer: NodeJS.Timeout | undefined;
    await Promise.race([task.finished, new Promise<void>((resolve) => (timer = setTimeout(resolve, ms)))]);
    clearTimeout(timer);
  }

  progress(id: string): Progress | null {
    return this.tasks.get(id)?.progress ?? null;
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

  /** Stops working on it, or withdraws a ready one, so that it can never be started. */
  async cancel(id: string): Promise<void> {
    const task = this.tasks.get(id);
    if (task) {
      task.cancelled = true;
      if (task.connection) await this.database.cancel(task.connection);
      await task.finished;
    }
    await this.database.rows(
      `update tantamos.preview p set state = 'cancelled'
       where id = $1 and state in ('working', 'ready') and not exists (select from tantamos.run where preview = p.id)`,
      [id],
    );
  }

  /** Previews left `working` by a service that died are failed: nothing of them was kept. */
  async sweep(): Promise<void> {
    await this.database.rows(
      `update tantamos.preview set state = 'failed', trouble = 'The service stopped while this was being worked out; make the preview again.'
       where state = 'working' and made_at < now() - interval '2 seconds' and pg_try_advisory_xact_lock($1, hashtext(id::text))`,
      [lockSpace],
    );
  }

  /** Cancels everything still being worked out. */
  async close(): Promise<void> {
    await Promise.all([...this.tasks.keys()].map((id) => this.cancel(id)));
  }

  private freezer(
    checked: CheckedJob,
    catalog: Catalog,
    range: Parameters<typeof freezeJob>[2],
    previewId: string,
    batchSize: number,
  ) {
    return (firstPosition: number) => freezeJob(checked, catalog, range, { previewId, firstPosition, batchSize });
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
    type: RecordType;
    job: Job;
    plan: Plan;
    sentence: string;
    why: string | null;
    account: string;
    batchSize: number;
    listReport: ListReportView | null;
  }): Promise<string> {
    const row = await this.database.one<{ id: string }>(
      `insert into tantamos.preview (kind, undo_of, type, job, plan, sentence, why, made_by, batch_size, triggers,
         list_report, expires_at)
       select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, now() + make_interval(hours => preview_hours) from tantamos.workspace
       returning id`,
      [
        p.kind,
        p.undoOf,
        p.type.id,
        p.job,
        p.plan,
        p.sentence,
        p.why,
        p.account,
        p.batchSize,
        JSON.stringify(triggersFor(p.type, p.plan)),
        p.listReport && JSON.stringify(p.listReport),
      ],
    );
    return row!.id;
  }

  private start(id: string, prepare: () => Promise<Work>, sentence?: (matched: number) => string): void {
    const task: Task = {
      progress: { done: 0, of: 1 },
      cancelled: false,
      connection: null,
      finished: Promise.resolve(),
    };
    const finished = this.freeze(id, task, prepare, sentence)
      .catch((error: unknown) => this.failed(id, task, error))
      .finally(() => this.tasks.delete(id));
    this.tasks.set(id, Object.assign(task, { finished }));
  }

  private async freeze(
    id: string,
    task: Task,
    prepare: () => Promise<Work>,
    sentence?: (matched: number) => string,
  ): Promise<void> {
    const { pieces, fields } = await prepare();
    task.progress = { done: 0, of: pieces.length };
    await this.database.transaction('repeatable read', async (connection) => {
      task.connection = connection;
      await connection.query(`set local work_mem = '64MB'`);
      await connection.query('select pg_advisory_xact_lock($1, hashtext($2))', [lockSpace, id]);
      const pairs = new PairCounts(fields);
      let batches = 0;
      for (const piece of pieces) {
        if (task.cancelled) throw new Cancelled();
        for (const row of await askOn<{ field: string | null; old: string | null; new: string | null; count: number }>(
          connection,
          piece(batches),
        )) {
          if (row.field === null) batches += row.count;
          else pairs.add({ ...row, field: row.field });
        }
        task.progress = { done: task.progress.done + 1, of: pieces.length };
      }
      const { matched } = await this.writeTotals(connection, id, batches, pairs);
      if (sentence)
        await connection.query('update tantamos.preview set sentence = $2 where id = $1', [id, sentence(matched)]);
      task.connection = null;
    });
  }

  private async writeTotals(
    connection: Connection,
    id: string,
    batches: number,
    pairs: PairCounts,
  ): Promise<{ matched: number }> {
    const { rows } = await connection.query<{ matched: number }>(
      `update tantamos.preview p set state = 'ready', ready_at = clock_timestamp(), batches = $2, pairs = $3, more_pairs = $4,
         matched = t.matched, will_change = t.will_change, already_right = t.already_right, not_allowed = t.not_allowed,
         edited_since = t.edited_since, gone = t.gone,
         causes = coalesce((
           select jsonb_agg(jsonb_build_object('cause', c.cause, 'count', c.count) order by c.count desc) from (
             select cause, count(*) as count from tantamos.batch b, unnest(b.causes) cause
             where b.preview = p.id and b.causes is not null and cause is not null group by cause) c), '[]')
       from (select coalesce(sum(size), 0) as matched, coalesce(sum(will_change), 0) as will_change,
           coalesce(sum(already_right), 0) as already_right, coalesce(sum(not_allowed), 0) as not_allowed,
           coalesce(sum(edited_since), 0) as edited_since, coalesce(sum(gone), 0) as gone
         from tantamos.batch where preview = $1) t
       where p.id = $1 returning p.matched`,
      [id, batches, JSON.stringify(pairs.list()), JSON.stringify(pairs.more())],
    );
    return rows[0]!;
  }

  private async failed(id: string, task: Task, error: unknown): Promise<void> {
    const cancelled = task.cancelled || error instanceof Cancelled;
    if (!cancelled) this.log.error({ err: error, preview: id }, 'preview failed');
    const trouble = cancelled ? null : troubleWords(error);
    await this.database
      .rows(`update tantamos.preview set state = $2, trouble = $3 where id = $1 and state = 'working'`, [
        id,
        cancelled ? 'cancelled' : 'failed',
        trouble,
      ])
      .catch((err: unknown) => this.log.error({ err }, 'preview state not written'));
  }
}

class Cancelled extends Error {}

function triggersFor(type: RecordType, plan: Plan): Trigger[] {
  return type.triggers.filter((t) => t.onFields === null || t.onFields.some((f) => plan.writes.includes(f)));
}

function troubleWords(error: unknown): string {
  if (error instanceof ProblemError) return error.message;
  if (codeOf(error)) return `The database could not work it out: ${(error as Error).message}`;
  return 'It could not be worked out; the log of the service says why.';
}
