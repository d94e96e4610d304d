import { setTimeout as sleep } from 'node:timers/promises';
import {
  givesWay,
  isSwift,
  Others,
  restAfter,
  sourceOf,
  sql,
  value,
  type Catalog,
  type OrderPart,
  type WorkOrder,
} from '@tantamos/core';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Seen } from '../rights/seen';
import { askPrepared, leftOpen, Standing, type Connection, type Database } from '../database/database';
import { schemaVersion } from '../database/migrate';
import { blameOf, isAboutShape } from '../database/refusal';
import { applyWhole, applyWithCare, type Patience, type RunBatchRow, type Work } from './batch';
import { dealerOf, updatingOf } from './dealer';
import { isAltered } from './statements/altered';
import { claimed, freshAhead, presentPart, type Asking, type Fresh } from './statements/claim';
import {
  beginning,
  goesBy,
  inAnyOrder,
  oneAfterAnother,
  updateSwiftly,
  ways,
  type Swiftly,
  type Updating,
  type Way,
} from './statements/update';

export interface LaneRun {
  readonly id: string;
  readonly preview: string;
  readonly order: WorkOrder;
  readonly at_once: number;
  readonly batch_size: number;
  readonly pace: number | null;
  /** Records a second, of all lanes together; null: as many as the pace allows. */
  readonly per_second: number | null;
  readonly kind: 'edit' | 'undo';
  /** Whose rights hold: what it reads was worked out for who made the preview, what it writes is done by who started it. */
  readonly made_by: string;
  readonly started_by: string;
}

/** What the people of a run may see and do at this moment; throws `not_permitted` where the run may go on no longer. */
export type RightsOfRun = (run: LaneRun) => Promise<{ readonly reader: Seen; readonly writer: Seen }>;

/** A part as the catalog of the moment has it. */
interface Ready extends Work {
  readonly index: number;
  /** How a batch of it is written in one statement; null where it takes more than one. */
  readonly swiftly: SwiftPart | null;
}

interface SwiftPart {
  readonly part: Updating;
  /** The statement of a way; null where the part does not go by it. */
  statement(how: Swiftly): Standing | null;
}

/** The table does something that it did not when the catalog was read. */
class Altered extends Error {}

/** Where a lane is: a part, the position from which on it looks for work, and the fresh stretches that it has seen there. */
interface Present {
  readonly part: number;
  from: number;
  ahead: Fresh[];
}

/** What came of a stretch in one statement: all of it was written, not all of it and so none, or it was not to be had. */
type Written = 'all' | 'not all' | 'taken';

/** Why no fresh batch was done: there is none, or something about it is not as usual. */
type NotDone = 'none' | 'unusual';

/** A batch that meets others' changes while it is written is tried so often from a fresh snapshot. */
const mostConflicts = 5;
/** A way that has failed for so many batches in a row is no longer tried. */
const mostFailed = 3;
/** A run that gives way looks so often whether others are still at work, in ms. */
const longestUnseen = 1000;

/**
 * One lane of a run: batch after batch, each in its own transaction, until there is none for it to take.
 *
 * While it is in the run it holds its number, and a share of the run: who can hold the whole run knows that no lane is in
 * it. While it writes a batch it holds a share of the gate; who does a batch with care holds the whole gate, so that
 * whatever lock it then meets is certainly somebody else's: lanes of one run never cause each other's outcomes.
 */
export class Lane {
  /** Of each way, for how many batches in a row it has failed. */
  private readonly failed: Record<Way, number> = { proved: 0, placed: 0, keyed: 0 };
  private present: Present | undefined;
  private leaving = false;
  private schema = 0;
  private ordered = false;
  private readonly others = new Others();
  /** What is told of it; not known of what a lane before this one told. */
  private givingWay: boolean | undefined;
  private wakeUp: () => void = () => {};
  private ready: { catalog: Catalog; reader: Seen; writer: Seen; work: Ready } | undefined;

  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    private readonly rightsOf: RightsOfRun,
    private readonly patience: Patience,
    private run: LaneRun,
    private readonly number: number,
    private readonly headway: () => void,
    /** Something was not as usual: told before the next batch is begun. */
    private readonly troubled: () => Promise<void>,
  ) {}

  /** Looks up from a rest: there may be news. */
  rouse(): void {
    this.wakeUp();
  }

  /** How the run goes on from now; a lane too many leaves. */
  heed(run: LaneRun): void {
    const { at_once, pace, per_second } = run;
    if (at_once === this.run.at_once && pace === this.run.pace && per_second === this.run.per_second) return;
    this.run = run;
    if (this.number >= at_once) this.leave();
    else this.wakeUp();
  }

  /** Ends after the batch under way. */
  leave(): void {
    this.leaving = true;
    this.wakeUp();
  }

  /** False when the lane's place is taken, or the run is held by who settles it. */
  async work(): Promise<boolean> {
    this.schema = await schemaVersion();
    return this.database.withLane(async (connection) => {
      const { id } = this.run;
      const { rows } = await connection.query<{ held: boolean }>(
        `select pg_try_advisory_lock(hashtextextended($1, 2)) and pg_try_advisory_lock_shared(hashtextextended($2, 1)) as held`,
        [`${id}/${this.number}`, id],
      );
      try {
        if (!rows[0]!.held) return false;
        // On a connection that waits for the disk.
        await this.database.rows(
          `update tantamos.run set state = 'running', resumed_at = clock_timestamp(), state_at = clock_timestamp()
           where id = $1 and state = 'queued'`,
          [id],
        );
        while (!this.leaving && (await this.stepAnew(connection)));
        return true;
      } finally {
        if (this.ordered) await connection.query(inAnyOrder).catch(mustBeCut);
        await connection.query('select pg_advisory_unlock_all()').catch(mustBeCut);
      }
    });
  }

  /** A step; where the tables have been altered since the catalog was read, once more with the catalog of the moment. */
  private async stepAnew(connection: Connection): Promise<boolean> {
    try {
      return await this.step(connection, true);
    } catch (error) {
      if (!(error instanceof Altered) && !isAboutShape(error)) throw error;
      this.catalogs.refresh();
      // What is not as the catalog says even now is read back.
      return this.step(connection, !(error instanceof Altered));
    }
  }

  /** One batch: swiftly, in one statement, where that can and may be; else with care. False when there is none to take. */
  private async step(connection: Connection, maySwiftly: boolean): Promise<boolean> {
    const begun = performance.now();
    const isNew = this.present === undefined;
    const present = (this.present ??= await this.askPresent(connection));
    if (!present) return false;
    const work = await this.readied(present.part);
    await this.planned(connection, work);
    const asking = this.asking(present.part, present.from);
    const done =
      work.swiftly && maySwiftly
        ? await this.swiftly(connection, work.swiftly, asking, present)
        : await this.wholly(connection, work, asking);
    if (typeof done === 'number') present.from = done + 1;
    else {
      this.present = undefined;
      // Where there is none of what was its part, another part's turn may have come.
      if (done === 'none' && !isNew) return true;
      if (!(await this.withCare(connection, work, asking))) return false;
      await this.troubled();
    }
    this.headway();
    await this.rest(connection, performance.now() - begun);
    return true;
  }

  /** The part whose turn it is and where in it this lane begins; none where nothing of it is due, or it is another lane's. */
  private async askPresent(connection: Connection): Promise<Present | undefined> {
    const { rows } = await connection.query<{
      part: number;
      first: number;
      last: number;
      in_order: boolean;
      due: boolean;
    }>({ name: 'present part', text: presentPart, values: [this.run.id] });
    const now = rows[0];
    if (!now?.due || (now.in_order && this.number > 0)) return undefined;
    // Who has said an order does not want the second half begun beside the first.
    if (this.run.order.parts[now.part]?.sorted) return { part: now.part, from: now.first, ahead: [] };
    const share = ((now.last - now.first + 1) * this.number) / this.run.at_once;
    return { part: now.part, from: now.first + Math.floor(share), ahead: [] };
  }

  private asking(part: number, from: number): Asking {
    return { run: this.run.id, preview: this.run.preview, part, lane: this.number, schema: this.schema, from };
  }

  /** A fresh batch in one statement: its position. Where one way of writing it fails, the next is tried. */
  private async swiftly(
    connection: Connection,
    swift: SwiftPart,
    asking: Asking,
    present: Present,
  ): Promise<number | NotDone> {
    let left: readonly Way[] = ways;
    const taken = new Set<number>();
    for (let tries = 0; tries < mostConflicts;) {
      if (present.ahead.length === 0) present.ahead = await askPrepared<Fresh>(connection, freshAhead(asking));
      // Others are at work on what is left, or somebody works alone.
      const next = present.ahead.find(({ position }) => !taken.has(position));
      if (!next) return 'none';
      const { entire, whole } = next;
      const way =
        left.find((w) => this.failed[w] < mostFailed && swift.statement({ way: w, entire, whole })) ?? 'keyed';
      try {
        const written = await this.written(connection, swift, way, next);
        if (written !== 'not all') present.ahead = present.ahead.filter((one) => one !== next);
        if (written === 'taken') {
          await mustBeAsKnown(connection, swift.part);
          taken.add(next.position);
        } else if (written === 'all') {
          this.failed[way] = 0;
          return next.position;
        } else if (way === 'keyed') return 'unusual';
        else {
          this.failed[way]++;
          left = left.slice(left.indexOf(way) + 1);
          tries++;
        }
      } catch (error) {
        const blame = blameOf(error);
        if (error instanceof Altered || blame === 'session' || blame === 'bug' || isAboutShape(error)) throw error;
        if (blame !== 'conflict') return 'unusual';
        left = ['keyed'];
        tries++;
      }
    }
    return 'unusual';
  }

  /** Writes a stretch in a transaction of its own, which stands only if every record was there as the preview saw it. */
  private async written(
    connection: Connection,
    { part, statement }: SwiftPart,
    way: Way,
    { position, pending, entire, whole }: Fresh,
  ): Promise<Written> {
    try {
      await connection.query(beginning(way, part));
      const { rowCount } = await statement({ way, entire, whole })!.ask(connection, { position });
      if (rowCount === pending) {
        await connection.query('commit');
        return 'all';
      }
      const isMine = rowCount || (await this.isMarked(connection, position));
      await connection.query('rollback');
      return isMine ? 'not all' : 'taken';
    } catch (error) {
      await connection.query('rollback').catch(() => {});
      throw error;
    }
  }

  /** Has this very transaction marked the stretch? */
  private async isMarked(connection: Connection, position: number): Promise<boolean> {
    const { rows } = await connection.query<{ mine: boolean }>(
      `select xmin = pg_current_xact_id_if_assigned()::xid as mine from tantamos.run_batch where run = $1 and position = $2`,
      [this.run.id, position],
    );
    return rows[0]!.mine;
  }

  /** A fresh batch in several statements, where what is stored must be read back: its position. */
  private async wholly(connection: Connection, work: Ready, asking: Asking): Promise<number | NotDone> {
    await connection.query('begin isolation level repeatable read; set constraints all immediate');
    try {
      const { rows } = await connection.query<{ open: boolean }>(
        'select pg_try_advisory_xact_lock_shared(hashtextextended($1, 3)) as open',
        [this.run.id],
      );
      const [row] = rows[0]!.open ? await askPrepared<RunBatchRow>(connection, claimed(asking, true)) : [];
      const whole = row !== undefined && (await applyWhole(connection, work, row));
      await connection.query(whole ? 'commit' : 'rollback');
      return whole ? row.position : row ? 'unusual' : 'none';
    } catch (error) {
      await connection.query('rollback').catch(() => {});
      const blame = blameOf(error);
      if (blame === 'session' || blame === 'bug' || isAboutShape(error)) throw error;
      return 'unusual';
    }
  }

  /** A batch with care, while no other lane of the run writes. False where there is none that is due. */
  private async withCare(connection: Connection, work: Ready, asking: Asking): Promise<boolean> {
    await connection.query('set lock_timeout = 0');
    await connection.query('select pg_advisory_lock(hashtextextended($1, 3))', [this.run.id]);
    try {
      for (let tries = 1; ; tries++) {
        try {
          await connection.query('begin isolation level repeatable read; set constraints all immediate');
          const [row] = await askPrepared<RunBatchRow>(connection, claimed(asking, false));
          if (row) await applyWithCare(connection, work, row, tries >= mostConflicts);
          await connection.query('commit');
          return row !== undefined;
        } catch (error) {
          await connection.query('rollback').catch(() => {});
          if (blameOf(error) !== 'conflict') throw error;
          await sleep(5 * tries + Math.random() * 10);
        }
      }
    } finally {
      // Where these fail the connection is gone, and the lock and the setting with it.
      await connection.query('select pg_advisory_unlock(hashtextextended($1, 3))', [this.run.id]).catch(mustBeCut);
      await connection.query('reset lock_timeout').catch(mustBeCut);
    }
  }

  /** How the database is to plan for the part. */
  private async planned(connection: Connection, { part }: Ready): Promise<void> {
    const ordered = part.passing !== undefined;
    if (ordered !== this.ordered) await connection.query(ordered ? oneAfterAnother : inAnyOrder);
    this.ordered = ordered;
  }

  private async readied(index: number): Promise<Ready> {
    const catalog = await this.catalogs.get();
    const { reader, writer } = await this.rightsOf(this.run);
    const now = this.ready;
    if (now?.catalog === catalog && now.reader === reader && now.writer === writer && now.work.index === index)
      return now.work;
    const part: OrderPart = this.run.order.parts[index]!;
    const { reading } = reader;
    const dealer = dealerOf(this.run.order, part, catalog, reading);
    const limits = part.act === 'update' ? (writer.catalog.find(part.type)?.limits ?? null) : null;
    const isPlain = isSwift(part, dealer.type) && limits === null && part.passing?.how !== 'around';
    const swiftly = isPlain ? this.swiftPart(updatingOf(this.run.order, part, catalog, reading), index) : null;
    const source = sourceOf(part, catalog);
    const work = { index, part, swiftly, dealer, catalog, limits, source, patience: this.patience };
    this.ready = { catalog, reader, writer, work };
    return work;
  }

  /** Its statements are put into words when they are first asked for. */
  private swiftPart(part: Updating, index: number): SwiftPart {
    const known = new Map<string, Standing>();
    const gate = sql`pg_try_advisory_xact_lock_shared(hashtextextended(${value(this.run.id)}, 3))`;
    const statement = (how: Swiftly): Standing | null => {
      if (!goesBy(part, how)) return null;
      const name = JSON.stringify(how);
      const asking = this.asking(index, 0);
      const one = known.get(name) ?? new Standing(updateSwiftly(part, asking, gate, leftOpen('position'), how));
      known.set(name, one);
      return one;
    };
    return { part, statement };
  }

  /** Leaves the database to others for the share of time that the run's pace says, or until it has come to something else. */
  private async rest(connection: Connection, worked: number): Promise<void> {
    const begun = Date.now();
    for (;;) {
      const others = this.givesWay() && (await this.othersWrite(connection));
      // Nobody waits for the rest after the last batch.
      if (others === 'no more') break;
      const whole = restAfter(worked, this.run, others) - (Date.now() - begun);
      if (whole < 1 || this.leaving) break;
      // While it gives way it looks now and then whether they are still at work.
      const left = this.givesWay() ? Math.min(whole, longestUnseen) : whole;
      const timer = new AbortController();
      const woken = new Promise<boolean>((resolve) => (this.wakeUp = () => resolve(true)));
      const slept = sleep(left, false, { signal: timer.signal }).catch(() => false);
      const isNews = await Promise.race([woken, slept]);
      timer.abort();
      if (isNews ? !(await this.isRunning()) : left === whole && !this.givesWay()) break;
    }
    this.others.lookAway();
  }

  private givesWay(): boolean {
    return this.patience.givesWay !== false && givesWay(this.run);
  }

  private async othersWrite(connection: Connection): Promise<boolean | 'no more'> {
    const { rows } = await connection.query<{ next: string; more: boolean }>({
      name: 'next transaction',
      text: `select pg_snapshot_xmax(pg_current_snapshot())::text as next,
        exists (select from tantamos.run_batch where run = $1 and state <> 'done') as more`,
      values: [this.run.id],
    });
    if (!rows[0]!.more) return 'no more';
    this.others.see(BigInt(rows[0]!.next), Date.now());
    const { write } = this.others;
    if (write !== this.givingWay) {
      this.givingWay = write;
      await this.database.rows('update tantamos.run set gives_way = $2 where id = $1 and gives_way <> $2', [
        this.run.id,
        write,
      ]);
    }
    return write;
  }

  private async isRunning(): Promise<boolean> {
    const now = await this.database.one<{ state: string }>('select state from tantamos.run where id = $1', [
      this.run.id,
    ]);
    return now?.state === 'running';
  }
}

function mustBeCut(error: unknown): void {
  if (blameOf(error) !== 'session') throw error;
}

/** Throws where the table would store something else than is written, which the catalog does not say. */
async function mustBeAsKnown(connection: Connection, part: Updating): Promise<void> {
  const [now] = await askPrepared<{ altered: boolean }>(
    connection,
    sql`select ${isAltered(part.type, part.writes)} as altered`,
  );
  if (now!.altered) throw new Altered();
}
