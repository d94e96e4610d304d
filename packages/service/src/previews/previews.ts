import {
  checkParts,
  inside,
  mustBeHours,
  safetyOf,
  fail,
  shortId,
  firing,
  isSwift,
  orderOf,
  partsOfJob,
  typeNow,
  usualBatch,
  type Catalog,
  type CheckedPart,
  type Job,
  type Safety,
  type Trigger,
  type WorkOrder,
} from '@tantamos/core';
import type { ListReportView } from '@tantamos/contract';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Connection, Database } from '../database/database';
import type { Events } from '../database/events';
import { inverse, narrowed } from '../engine/inverse';
import { keepGiven } from '../jobs/given';
import type { Compiler } from '../jobs/compiler';
import { reportForPreview } from '../lists/report';
import { mustCarryOut } from '../rights/carry-out';
import type { Seen } from '../rights/seen';
import { mustSeeOthers } from '../runs/sees-others';
import type { Room } from '../storage/room';
import { selectPreviews, type PreviewRow, type UndoWhich } from './preview-row';
import { undoSentence, type KeptSentence, type Works } from './work';
import type { PreviewWorker } from './worker';

/** Notes something else of a new preview, so that neither is there without the other. */
export type Alongside = (connection: Connection, preview: string) => Promise<void>;

/** Checks what is to be previewed, and keeps the rows of previews; working them out is the worker's. */
export class Previews {
  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    private readonly compiler: Compiler,
    private readonly works: Works,
    private readonly worker: PreviewWorker,
    private readonly events: Events,
    private readonly room: Room,
  ) {}

  /** Checks the job and begins to work it out; the preview is `working` until it is `ready`. Returns its id: `madeAs`, if given. */
  async begin(said: Job, seen: Seen, madeAs?: string, alongside?: Alongside): Promise<string> {
    // An undo is always possible: it is what people need most when there is too much.
    await this.room.mustHaveJournal();
    const { job: checked, catalog, context } = await this.compiler.job(seen, said);
    const parts = partsOfJob(checked);
    mustCarryOut('edit', orderOf(parts).parts, seen);
    checkParts(parts);
    const safety = safetyOf(
      said.safety ?? {},
      parts.map((p) => p.type),
    );
    if (safety.hours) inside('safety.hours', () => mustBeHours(safety.hours!));
    await mustSeeOthers(this.database, safety);
    const why = await this.why(said.why);
    const listReport = await reportForPreview(this.database, checked.selection);
    // Values given one by one become rows; the job that is kept says which.
    const kept = await keepGiven(this.database, said, checked, seen.person.id);
    const work = this.works.edit({ ...kept, catalog, context, seen });
    const id = await this.insert({
      madeAs,
      kind: 'edit',
      undoOf: null,
      job: kept.job,
      order: work.order,
      sentence: work.sentence(),
      rows: seen.rowLimits,
      why,
      account: seen.person.id,
      batchSize: this.sizeOf(safety, work.order, catalog),
      listReport,
      catalog,
      alongside,
    });
    this.worker.work(id, work);
    return id;
  }

  /** Records in a batch; a go is never larger than it may be. */
  private sizeOf({ batchSize, perGo }: Safety, order: WorkOrder, catalog: Catalog): number {
    const size = batchSize ?? this.usualSize(order, catalog);
    return perGo === null ? size : Math.min(size, perGo);
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
  async beginParts(parts: readonly CheckedPart[], job: Job, sentence: string, seen: Seen): Promise<string> {
    checkParts(parts);
    const catalog = await this.catalogs.get();
    const order = orderOf(parts);
    const safety = safetyOf(
      job.safety ?? {},
      parts.map((p) => p.type),
    );
    const work = this.works.parts(parts, order, sentence);
    const id = await this.insert({
      kind: 'edit',
      undoOf: null,
      job,
      order,
      sentence: work.sentence(),
      rows: seen.rowLimits,
      why: await this.why(job.why),
      account: seen.person.id,
      batchSize: this.sizeOf(safety, order, catalog),
      listReport: null,
      catalog,
    });
    this.worker.work(id, work);
    return id;
  }

  /** Begins a preview that would put back what a run changed. */
  async beginUndo(
    runId: string,
    source: PreviewRow,
    { seen, why, madeAs, which }: { seen: Seen; why?: string; madeAs?: string; which: UndoWhich | null },
  ): Promise<string> {
    const catalog = await this.catalogs.get();
    const order = narrowed(inverse(source.work_order, catalog), which?.fields);
    const id = await this.insert({
      madeAs,
      kind: 'undo',
      undoOf: runId,
      undoWhich: which,
      job: source.job,
      order,
      sentence: undoSentence(order, source, catalog, which),
      rows: seen.rowLimits,
      // The reason travels with the work unless another is given.
      why: await this.why(why ?? source.why ?? undefined),
      account: seen.person.id,
      batchSize: source.batch_size,
      listReport: source.list_report,
      catalog,
    });
    this.worker.work(id);
    return id;
  }

  /** Waits until this process no longer works on it, or `ms` are over. */
  settled(id: string, ms: number): Promise<void> {
    return this.worker.settled(id, ms);
  }

  /** Waits until this process works on none. */
  idle(): Promise<void> {
    return this.worker.idle();
  }

  async get(id: string): Promise<PreviewRow> {
    const row = await this.database.one<PreviewRow>(`${selectPreviews} where p.id = $1`, [id]);
    return row ?? fail('not_found', 'There is no such preview.');
  }

  /** The newest previews that have not been started and are known, newest first. */
  async list(limit: number, isKnown: (p: PreviewRow) => boolean): Promise<PreviewRow[]> {
    const known: PreviewRow[] = [];
    for (let before: Date | null = null; known.length < limit;) {
      const rows: PreviewRow[] = await this.database.rows<PreviewRow>(
        `${selectPreviews} where r.id is null and p.state <> 'cancelled' and ($2::timestamptz is null or p.made_at < $2)
         order by p.made_at desc limit $1`,
        [limit, before],
      );
      known.push(...rows.filter(isKnown));
      if (rows.length < limit) break;
      before = rows.at(-1)!.made_at;
    }
    return known.slice(0, limit);
  }

  /** Stops working on it, whichever process does, or withdraws a ready one, so that it can never be started. */
  async cancel(id: string): Promise<void> {
    const done = await this.database.one<{ run: string | null }>(
      `with done as (
         update tantamos.preview p set state = 'cancelled'
         where id = $1 and state in ('working', 'ready') and not exists (select from tantamos.run where preview = p.id))
       select (select run.id from tantamos.run where preview = $1) as run`,
      [id],
    );
    if (done?.run)
      fail(
        'preview_started',
        `This preview was started as run ${shortId(done.run)}, so it cannot be discarded. Stop the run instead.`,
      );
    this.events.sendNow(`preview ${id}`);
    await this.worker.stop(id);
  }

  private async why(given: string | undefined): Promise<string | null> {
    const why = given?.trim() || null;
    const workspace = await this.database.one<{ why_required: boolean }>('select why_required from tantamos.workspace');
    if (why === null && workspace?.why_required)
      fail('why_required', 'This workspace asks for a reason: say why.', { where: 'why' });
    return why;
  }

  private async insert(p: {
    madeAs?: string;
    kind: 'edit' | 'undo';
    undoOf: string | null;
    undoWhich?: UndoWhich | null;
    job: Job;
    order: WorkOrder;
    sentence: KeptSentence;
    /** Which records the maker sees, by type (see `Seen.rowLimits`). */
    rows: Readonly<Record<string, string>>;
    why: string | null;
    account: string;
    batchSize: number;
    listReport: ListReportView | null;
    catalog: Catalog;
    alongside?: Alongside | undefined;
  }): Promise<string> {
    return this.database.transaction('read committed', async (connection) => {
      // Its maker holds it from the start.
      const { rows } = await connection.query<{ id: string }>(
        `with made as (
         insert into tantamos.preview (id, kind, undo_of, type, job, work_order, sentence, why, made_by, batch_size, triggers,
           list_report, undo_which, named, row_limits, expires_at)
         select coalesce($14, tantamos.new_id()), $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $15, $16, $17, now() + make_interval(hours => preview_hours)
         from tantamos.workspace returning id)
       insert into tantamos.preview_work (preview, holder, lease_until, tries)
       select id, $12, clock_timestamp() + make_interval(secs => $13::float8 / 1000), 1 from made returning preview as id`,
        [
          p.kind,
          p.undoOf,
          p.order.parts[0]!.type,
          p.job,
          p.order,
          p.sentence.sentence,
          p.why,
          p.account,
          p.batchSize,
          JSON.stringify(triggersOf(p.order, p.catalog)),
          p.listReport && JSON.stringify(p.listReport),
          this.worker.holding.holder,
          this.worker.holding.lease,
          p.madeAs ?? null,
          p.undoWhich ? JSON.stringify(p.undoWhich) : null,
          p.sentence.named && JSON.stringify(p.sentence.named),
          p.rows,
        ],
      );
      const { id } = rows[0]!;
      await p.alongside?.(connection, id);
      return id;
    });
  }
}

/** Whose doings the database adds to what is written. */
function triggersOf(order: WorkOrder, catalog: Catalog): Trigger[] {
  const all = order.parts.flatMap((part) => [
    ...firing(typeNow(catalog, part.type), part.act, part.writes),
    ...part.along.flatMap((a) => {
      const act = a.act === 'create' || a.act === 'delete' ? a.act : 'update';
      return firing(typeNow(catalog, a.type), act, a.writes);
    }),
  ]);
  // Those of one name that say the same, of several types, are told once.
  return [...new Map(all.map((t) => [JSON.stringify([t.name, t.comment]), t])).values()];
}
