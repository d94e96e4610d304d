/** Percent of the time that a run works whose pace nobody has said, where it has one lane. */
export const ownPace = { alone: 50, besideOthers: 1 } as const;

/** For the share of time that the pace says, a lane rests so long at most, in ms: a batch that took long is no reason to sleep. */
const longestRest = 30_000;

/** How a run is to go on. */
export interface Going {
  /** Percent of the time; null: by itself, less while others write. */
  readonly pace: number | null;
  readonly per_second: number | null;
  readonly at_once: number;
  readonly batch_size: number;
}

/**
 * How long a lane rests after so much work, in ms: for its pace, and as long as its share of the records a second asks for,
 * however long that is. `othersWrite`: what was found out of others meanwhile.
 */
export function restAfter(worked: number, run: Going, othersWrite = false): number {
  const { per_second, at_once, batch_size } = run;
  const pace = run.pace ?? (othersWrite && givesWay(run) ? ownPace.besideOthers : ownPace.alone);
  const forPace = Math.min((worked * (100 - pace)) / pace, longestRest);
  return per_second === null ? forPace : Math.max(forPace, (batch_size * at_once * 1000) / per_second - worked);
}

/** Does it give way to others? Not where a pace was said, or several batches at once: who says that is in a hurry. */
export function givesWay({ pace, at_once }: Pick<Going, 'pace' | 'at_once'>): boolean {
  return pace === null && at_once === 1;
}

/** Transactions of others that write, a second, from which on they are at work. */
const othersAtWork = 20;
/** Transactions of the service itself that go on beside a run and are not those of others. */
const ownBeside = 2;
/** What was seen longer ago than this counts less and less, in ms. */
const memory = 1000;

/** How much others write, by the numbers that the database gives to transactions while a lane rests. */
export class Others {
  private transactions = 0;
  private ms = 0;
  private last: { readonly number: bigint; readonly at: number } | undefined;

  /** The next transaction's number at a moment, in ms. */
  see(number: bigint, at: number): void {
    if (this.last) {
      this.transactions += Math.max(0, Number(number - this.last.number));
      this.ms += at - this.last.at;
      if (this.ms > memory) {
        this.transactions *= memory / this.ms;
        this.ms = memory;
      }
    }
    this.last = { number, at };
  }

  /** What comes until the next look is the lane's own. */
  lookAway(): void {
    this.last = undefined;
  }

  get write(): boolean {
    return this.ms > 0 && ((this.transactions - ownBeside) * 1000) / this.ms >= othersAtWork;
  }
}
