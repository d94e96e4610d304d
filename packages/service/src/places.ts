/** So many places; who finds none waits for one, first come, first served. */
export class Places {
  private taken = 0;
  private readonly queue: (() => void)[] = [];
  constructor(private readonly most: number) {}

  /** How many wait. */
  get waiting(): number {
    return this.queue.length;
  }

  get isIdle(): boolean {
    return this.taken === 0 && this.queue.length === 0;
  }

  get isFull(): boolean {
    return this.taken >= this.most;
  }

  /** Takes a place, waiting for one until `enough`; false where there was none by then. */
  async enter(enough?: Promise<unknown>): Promise<boolean> {
    if (!this.isFull) {
      this.taken++;
      return true;
    }
    let mine = (): void => {};
    const entered = new Promise<true>((resolve) => {
      mine = () => resolve(true);
      this.queue.push(mine);
    });
    if (!enough) return entered;
    const isIn = await Promise.race([entered, enough.then(() => false)]);
    if (isIn) return true;
    const at = this.queue.indexOf(mine);
    // Let in at the very moment when it gave up: its place goes to the next.
    if (at < 0) this.leave();
    else this.queue.splice(at, 1);
    return false;
  }

  leave(): void {
    const next = this.queue.shift();
    if (next) next();
    else this.taken--;
  }

  /** Does `work` in one of the places; not at all, where there was none by `enough`. */
  async within<T>(work: () => Promise<T>, enough?: Promise<unknown>): Promise<T | undefined> {
    if (!(await this.enter(enough))) return undefined;
    try {
      return await work();
    } finally {
      this.leave();
    }
  }
}

/** The same for each person apart: nobody waits for another's. */
export class PlacesEach {
  private readonly all = new Map<string, Places>();
  constructor(private readonly most: number) {}

  of(who: string): Places {
    const places = this.all.get(who) ?? new Places(this.most);
    this.all.set(who, places);
    return places;
  }

  /** To be called when somebody has left or given up. */
  tidy(who: string): void {
    if (this.all.get(who)?.isIdle) this.all.delete(who);
  }

  async within<T>(who: string, work: () => Promise<T>, enough?: Promise<unknown>): Promise<T | undefined> {
    try {
      return await this.of(who).within(work, enough);
    } finally {
      this.tidy(who);
    }
  }
}
