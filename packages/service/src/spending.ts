/**
 * How much text each person has had compiled lately, in characters: what is compiled holds everybody up for as long as it takes
 * (measured: 1 to 4 µs a character). A person may have `burst` at once, and `perSecond` from then on.
 */
export class Spending {
  private readonly spent = new Map<string, { characters: number; at: number }>();

  constructor(
    private readonly burst = 60_000,
    private readonly perSecond = 10_000,
  ) {}

  add(who: string, characters: number): void {
    // Who is forgotten has spent nothing for long, but for a thousand people at once.
    if (this.spent.size > 1000) this.spent.clear();
    this.spent.set(who, { characters: this.left(who) + characters, at: Date.now() });
  }

  /** Has the person spent more than they may? */
  isOver(who: string): boolean {
    return this.left(who) > this.burst;
  }

  private left(who: string): number {
    const spent = this.spent.get(who);
    if (!spent) return 0;
    return Math.max(0, spent.characters - ((Date.now() - spent.at) / 1000) * this.perSecond);
  }
}
