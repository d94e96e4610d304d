import { randomUUID } from 'node:crypto';
import { ProblemError } from '@tantamos/core';
import type { Logger } from 'pino';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Connection, Database } from '../database/database';
import type { Events } from '../database/events';
import { codeOf, isAboutShape, isTakenAway } from '../database/refusal';
import { PlacesEach } from '../places';
import { Recurring } from '../recurring';
import { Cancelled, freezeHeld, type Held } from './freezing';
import { selectPreviews, type PreviewRow } from './preview-row';
import type { Work, Works } from './work';

/** How long a process may be silent before another takes its preview up, and how often it says that it is there, in ms. */
const lease = 4000;
const renewEvery = 500;
/** A preview that so many processes died over is not tried again. */
const mostTries = 3;
/** Previews of one person that this process works on at the same time. */
const mostAtOnce = 2;

interface Task {
  cancelled: boolean;
  /** Comes when it is cancelled. */
  readonly stopped: Promise<void>;
  stop(): void;
  readonly connections: Set<Connection>;
  done: number;
  of: number;
  readonly finished: Promise<void>;
}

/**
 * Works previews out in sets, in SQL, each under one snapshot, and freezes them as batches. A preview that is being worked out
 * is a row with a lease: should its process die, another one takes it up from the beginning.
 */
export class PreviewWorker {
  private readonly tasks = new Map<string, Task>();
  private readonly me = randomUUID();
  private timer: NodeJS.Timeout | undefined;
  private readonly people = new PlacesEach(mostAtOnce);
  private closed = false;

  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    private readonly works: Works,
    private readonly events: Events,
    private readonly log: Logger,
  ) {}

  /** What a new preview's row says of who holds it, and for how many ms. */
  get holding(): { readonly holder: string; readonly lease: number } {
    return { holder: this.me, lease };
  }

  /** Begins to look for previews that nobody works on any more. */
  start(): void {
    const trouble = new Recurring(this.log, 'could not look for previews');
    const look = async (): Promise<void> => {
      try {
        await this.takeUp();
        trouble.over();
      } catch (error) {
        if (!isTakenAway(error)) trouble.met(error);
      }
      if (!this.closed) this.timer = setTimeout(() => void look(), lease / 4);
    };
    void look();
  }

  /** Waits until this process no longer works on it, or `ms` are over. */
  async settled(id: string, ms: number): Promise<void> {
    const task = this.tasks.get(id);
    if (!task) return;
    let timer: NodeJS.Timeout | undefined;
    await Promise.race([task.finished, new Promise<void>((resolve) => (timer = setTimeout(resolve, ms)))]);
    clearTimeout(timer);
  }

  /** Waits until this process works on none. */
  async idle(): Promise<void> {
    while (this.tasks.size > 0) await Promise.all([...this.tasks.values()].map((task) => task.finished));
  }

  /** Stops working on it, if this process does. */
  async stop(id: string): Promise<void> {
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
    await this.stopped(task);
    await task.finished;
  }

  private async stopped(task: Task): Promise<void> {
    task.stop();
    await Promise.all([...task.connections].map((connection) => this.database.cancel(connection)));
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

  /** Works on it; without `given`, on what its row stands for. */
  work(id: string, given?: Work): void {
    const task = newTask();
    if (this.closed) task.stop();
    const timer = setInterval(() => void this.renew(id, task), renewEvery);
    const finished = this.inTurn(id, task, given)
      .catch((error: unknown) => (task.cancelled || error instanceof Cancelled ? undefined : this.failed(id, error)))
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
      .one<{ state: string; made_by: string }>(
        `update tantamos.preview_work w set done = $3, total = $4, lease_until = clock_timestamp() + make_interval(secs => $5::float8 / 1000)
         from tantamos.preview p where w.preview = $1 and w.holder = $2 and p.id = w.preview returning p.state, p.made_by`,
        [id, this.me, task.done, task.of, lease],
      )
      .catch(() => null);
    this.events.send(`preview ${id}`);
    if (row === null || !this.tasks.has(id)) return;
    if (row?.state === 'working') return this.mustStillAct(id, row.made_by, task);
    await this.stopped(task);
  }

  /** Fails it with the reason where the account that made it may no longer act. */
  private async mustStillAct(id: string, madeBy: string, task: Task): Promise<void> {
    try {
      await this.works.mustStillAct(madeBy);
    } catch (error) {
      if (!(error instanceof ProblemError)) return;
      await this.failed(id, error);
      await this.stopped(task);
    }
  }

  /** A person's previews are worked out a few at a time, so that those of others need not wait for all of them. */
  private async inTurn(id: string, task: Task, given?: Work): Promise<void> {
    const row = await this.database.one<{ made_by: string }>('select made_by from tantamos.preview where id = $1', [
      id,
    ]);
    await this.people.within(row!.made_by, () => this.freezeAnew(id, task, given), task.stopped);
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
    const row = (await this.database.one<PreviewRow>(`${selectPreviews} where p.id = $1`, [id]))!;
    await this.works.mustStillAct(row.made_by);
    const work = given ?? (await this.works.of(row));
    const held: Held = {
      preview: id,
      holder: this.me,
      batchSize: row.batch_size,
      connections: task.connections,
      progress: (done, of) => {
        Object.assign(task, { done, of });
        if (task.cancelled) throw new Cancelled();
      },
      atEnd: () => this.works.mustStillAct(row.made_by),
    };
    await freezeHeld(this.database, held, work);
    this.events.sendNow(`preview ${id}`);
    // Apart from the set itself: what it says can be looked up later, and holds nobody up.
    const said = (await Promise.all([work.notes(id), work.figures(id)])).map((part) => JSON.stringify(part));
    await this.database.rows('update tantamos.preview set notes = $2, figures = $3 where id = $1', [id, ...said]);
    await this.database.rows('delete from tantamos.preview_work where preview = $1', [id]);
  }

  private async failed(id: string, error: unknown): Promise<void> {
    this.log.error({ err: error, preview: id }, 'preview failed');
    await this.database
      .rows(`update tantamos.preview set state = 'failed', trouble = $2 where id = $1 and state = 'working'`, [
        id,
        troubleWords(error),
      ])
      .catch((err: unknown) => this.log.error({ err }, 'preview state not written'));
    this.events.sendNow(`preview ${id}`);
  }
}

function newTask(): Task {
  let heard = (): void => {};
  return {
    cancelled: false,
    stopped: new Promise<void>((resolve) => (heard = resolve)),
    stop() {
      this.cancelled = true;
      heard();
    },
    connections: new Set(),
    done: 0,
    of: 1,
    finished: Promise.resolve(),
  };
}

function troubleWords(error: unknown): string {
  if (error instanceof ProblemError) return error.message;
  if (codeOf(error) === '57014')
    return 'It was given up: it took longer than a preview may (preview minutes), which would hold back the database’s own cleaning (vacuum).';
  if (codeOf(error)) return `The database could not work it out: ${(error as Error).message}`;
  return 'It could not be worked out; the log of the service says why.';
}
