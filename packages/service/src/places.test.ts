import { Places, PlacesEach } from './places';
import { pieces, turns } from './turns';

const tick = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));
const never = new Promise<void>(() => {});

describe('places', () => {
  it('lets in as many as there are, and the rest in their order', async () => {
    const places = new Places(2);
    const inside: number[] = [];
    const doors: (() => void)[] = [];
    const all = [0, 1, 2, 3, 4].map((n) =>
      places.within(async () => {
        inside.push(n);
        await new Promise<void>((resolve) => doors.push(resolve));
      }),
    );
    await tick();
    expect(inside).toEqual([0, 1]);
    expect([places.isFull, places.waiting]).toEqual([true, 3]);
    doors.shift()!();
    await tick();
    expect(inside).toEqual([0, 1, 2]);
    while (doors.length > 0) {
      doors.shift()!();
      await tick();
    }
    await Promise.all(all);
    expect(inside).toEqual([0, 1, 2, 3, 4]);
    expect(places.isIdle).toBe(true);
  });

  it('frees the place of work that failed', async () => {
    const places = new Places(1);
    await expect(places.within(() => Promise.reject(new Error('no')))).rejects.toThrow('no');
    expect(places.isIdle).toBe(true);
    expect(await places.within(() => Promise.resolve('yes'))).toBe('yes');
  });

  it('does not keep who has given up waiting, nor lose a place over it', async () => {
    const places = new Places(1);
    await places.enter();
    let giveUp = (): void => {};
    const waiting = places.enter(new Promise<void>((resolve) => (giveUp = resolve)));
    const behind = places.enter(never);
    giveUp();
    expect(await waiting).toBe(false);
    expect(places.waiting).toBe(1);
    places.leave();
    expect(await behind).toBe(true);
    places.leave();
    expect(places.isIdle).toBe(true);
  });

  it('passes a place on where somebody gives up at the moment of being let in', async () => {
    const places = new Places(1);
    await places.enter();
    const first = places.enter(Promise.resolve());
    const second = places.enter(never);
    places.leave();
    // Whichever of the two came first: the place is taken once, and none is lost.
    const took = await first;
    if (took) places.leave();
    expect(await second).toBe(true);
    places.leave();
    expect(places.isIdle).toBe(true);
  });

  it('gives each person places of their own, and forgets who has left', async () => {
    const each = new PlacesEach(1);
    await each.of('a').enter();
    expect(await each.within('b', () => Promise.resolve('at once'))).toBe('at once');
    expect(await each.within('a', () => Promise.resolve('too late'), Promise.resolve())).toBeUndefined();
    const before = each.of('a');
    before.leave();
    each.tidy('a');
    expect(each.of('a')).not.toBe(before);
  });
});

describe('long work', () => {
  it('lets others have their turn', async () => {
    let others = 0;
    let over = false;
    const ask = (): void => {
      others++;
      if (!over) setImmediate(ask);
    };
    setImmediate(ask);
    const turn = turns();
    for (const end = performance.now() + 120; performance.now() < end;) await turn();
    over = true;
    expect(others).toBeGreaterThan(2);
  });

  it('has one turn at a time, with what is short between two of them', async () => {
    const said: string[] = [];
    const long = async (name: string): Promise<void> => {
      const turn = turns();
      for (let i = 0; i < 3; i++) {
        for (const end = performance.now() + 10; performance.now() < end;);
        said.push(name);
        await turn();
      }
    };
    let over = false;
    const short = (): void => {
      said.push('short');
      if (!over) setImmediate(short);
    };
    setImmediate(short);
    await Promise.all([long('a'), long('b'), long('c')]);
    over = true;
    // All three begin at once; from then on none goes on right after another.
    const after = said.slice(3).join(' ');
    expect(after).toContain('short');
    expect(after).not.toMatch(/[abc] [abc]/);
  });

  it('is cut into pieces that hold all of it', async () => {
    const all = Array.from({ length: 12_001 }, (_, i) => i);
    const cut = async (list: readonly number[], most?: number): Promise<(readonly number[])[]> => {
      const found = [];
      for await (const piece of pieces(list, most)) found.push(piece);
      return found;
    };
    const usual = await cut(all);
    expect(usual.flat()).toEqual(all);
    expect(usual.length).toBeGreaterThan(2);
    expect((await cut(all, 5000)).map((p) => p.length)).toEqual([5000, 5000, 2001]);
    expect(await cut([])).toEqual([]);
    expect(await cut(all, 20_000)).toEqual([all]);
  });
});
