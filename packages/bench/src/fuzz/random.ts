/** Numbers that follow from a seed (Mulberry32), so that whatever was found can be found again. */
export class Random {
  constructor(private state: number) {}

  /** From 0 up to, not including, 1. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) | 0;
    let t = Math.imul(this.state ^ (this.state >>> 15), 1 | this.state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  }

  below(n: number): number {
    return Math.floor(this.next() * n);
  }

  chance(part: number): boolean {
    return this.next() < part;
  }

  pick<T>(of: readonly T[]): T {
    return of[this.below(of.length)]!;
  }
}
