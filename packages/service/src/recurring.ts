import type { Logger } from 'pino';

/** What goes on is said again after so long, in ms. */
const sayAgain = 60_000;

/**
 * A trouble that is met again and again, as while the database is gone: it is logged when it begins, once a minute while it
 * lasts, and when it is over, so that the log of an hour can still be read.
 */
export class Recurring {
  private begun: number | null = null;
  private said = 0;
  private times = 0;

  constructor(
    private readonly log: Logger,
    private readonly words: string,
    private readonly now: () => number = Date.now,
  ) {}

  met(err: unknown): void {
    const at = this.now();
    this.times++;
    if (this.begun !== null && at - this.said < sayAgain) return;
    this.begun ??= at;
    this.said = at;
    this.log.warn({ err, times: this.times }, this.words);
  }

  over(): void {
    if (this.begun === null) return;
    const seconds = Math.round((this.now() - this.begun) / 1000);
    this.log.info({ times: this.times, seconds }, `${this.words}: over`);
    this.begun = null;
    this.times = 0;
  }
}
