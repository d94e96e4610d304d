import fc from 'fast-check';
import type { ProblemError } from '../problem';
import { catalog as meadow } from '../testing/catalog';
import { rightActs, type RightAct } from './acts';
import { checkLine, lineWords, type RightLine } from './line';
import { Rights } from './rights';

let made = 0;
const line = (effect: 'allow' | 'deny', acts: RightAct | RightAct[], more: Partial<RightLine> = {}): RightLine => ({
  id: String(++made),
  effect,
  acts: [acts].flat(),
  types: null,
  fields: null,
  filter: null,
  most: null,
  ...more,
});
const allow = (acts: RightAct | RightAct[], more?: Partial<RightLine>) => line('allow', acts, more);
const deny = (acts: RightAct | RightAct[], more?: Partial<RightLine>) => line('deny', acts, more);

describe('rights', () => {
  it('nothing is allowed that no line allows', () => {
    const none = new Rights([]);
    for (const act of rightActs) expect(none.has(act)).toBe(false);
    expect(none.on('see', 'bookings')).toEqual({ may: 'none', lines: [] });
    expect(none.fields('bookings')('note').sees).toBe(false);
    expect(none.fields('bookings')('note').changes).toBe(false);
    expect(none.seen('bookings')).toEqual({ any: [], none: [] });
  });

  it('a denial wins, whatever else allows it, and says by which line', () => {
    const no = deny('see', { types: ['invoices'] });
    const rights = new Rights([allow('see'), no, allow('see', { types: ['invoices'] })]);
    expect(rights.on('see', 'invoices')).toEqual({ may: 'none', lines: [no] });
    expect(rights.may('see', 'bookings')).toBe(true);
    expect(rights.has('see')).toBe(true);
    expect(new Rights([allow('see'), deny('see')]).has('see')).toBe(false);
  });

  it('fields that may be seen are those of lines on all records, where there are such', () => {
    const some = new Rights([
      allow('see', { types: ['bookings'], fields: ['id', 'status'] }),
      allow('see', { types: ['bookings'], filter: 'owner = me()' }),
    ]);
    expect(some.seen('bookings')).toEqual({ any: null, none: [] });
    expect(some.fields('bookings')('status').sees).toBe(true);
    // It would be shown on all records, and is only allowed on some.
    expect(some.fields('bookings')('note').sees).toBe(false);
    const own = new Rights([allow('see', { types: ['bookings'], filter: 'owner = me()' })]);
    expect(own.fields('bookings')('note').sees).toBe(true);
    expect(own.seen('bookings')).toEqual({ any: ['owner = me()'], none: [] });
  });

  it('a field is changed on the records that some line allows, less those that a line denies', () => {
    const rights = new Rights([
      allow('change', { types: ['bookings'], fields: ['status'] }),
      allow('change', { types: ['bookings'], filter: 'owner = me()' }),
      deny('change', { types: ['bookings'], filter: "status = 'done'" }),
      deny('change', { types: ['bookings'], fields: ['price'] }),
    ]);
    expect(rights.fields('bookings')('status').changed).toEqual({ any: null, none: ["status = 'done'"] });
    expect(rights.fields('bookings')('note').changed).toEqual({ any: ['owner = me()'], none: ["status = 'done'"] });
    expect(rights.fields('bookings')('note').changes).toBe(true);
    expect(rights.fields('bookings')('price').changes).toBe(false);
    expect(rights.fields('growers')('name').changes).toBe(false);
  });

  it('how many at once: few without the right, the most that is allowed, never more than is denied', () => {
    expect(new Rights([allow('change')]).most('bookings')).toBe(100);
    expect(new Rights([allow('change_many')]).most('bookings')).toBeNull();
    expect(new Rights([allow('change_many', { most: 500 }), allow('change_many', { most: 200 })]).most('b')).toBe(500);
    expect(new Rights([allow('change_many'), deny('change_many', { most: 1000 })]).most('b')).toBe(1000);
    expect(new Rights([allow('change_many'), deny('change_many')]).most('b')).toBe(100);
    // A cap leaves the right itself.
    expect(new Rights([allow('change_many'), deny('change_many', { most: 10 })]).may('change_many', 'b')).toBe(true);
  });

  const anyLine = fc.record({
    effect: fc.constantFrom('allow' as const, 'deny' as const),
    acts: fc.subarray([...rightActs], { minLength: 1 }),
    types: fc.option(fc.subarray(['a', 'b'], { minLength: 1 })),
    fields: fc.option(fc.subarray(['x', 'y'], { minLength: 1 })),
    filter: fc.option(fc.constantFrom('p', 'q')),
    most: fc.option(fc.integer({ min: 1, max: 900 })),
  });
  const lines = fc.array(anyLine, { maxLength: 6 }).map((all) => all.map((l, i) => ({ ...l, id: String(i) })));

  it('one more denial never gives more, one more allowance never takes any', () => {
    const size = { none: 0, some: 1, all: 2 };
    const measured = (r: Rights) =>
      ['a', 'b'].flatMap((type) => [
        ...rightActs.map((act) => Math.min(1, size[r.on(act, type).may])),
        ...['x', 'y'].map((f) => Number(r.fields(type)(f).changes)),
        r.most(type) ?? Infinity,
      ]);
    fc.assert(
      fc.property(lines, anyLine, (before, next) => {
        const [less, more] = [new Rights(before), new Rights([...before, { ...next, id: 'n' }])].map(measured);
        less!.forEach((was, i) => {
          if (next.effect === 'deny') expect(more![i]).toBeLessThanOrEqual(was);
          else expect(more![i]).toBeGreaterThanOrEqual(was);
        });
      }),
      { numRuns: 400, seed: jest.getSeed() },
    );
  });

  it('the order of the lines says nothing', () => {
    fc.assert(
      fc.property(lines, (all) => {
        const [one, other] = [new Rights(all), new Rights([...all].reverse())];
        for (const type of ['a', 'b'])
          for (const act of rightActs) expect(one.on(act, type).may).toBe(other.on(act, type).may);
      }),
      { numRuns: 200, seed: jest.getSeed() },
    );
  });
});

describe('a line of rights', () => {
  const problem = (l: RightLine): string => {
    try {
      checkLine(l, meadow);
      return '';
    } catch (error) {
      return `${(error as ProblemError).problems[0].where}: ${(error as Error).message}`;
    }
  };

  it.each([
    [allow('administer', { types: ['bookings'] }), 'types: The right to administer is not about types'],
    [allow('see', { fields: ['status'] }), 'types: Fields and records are those of one type'],
    [allow('change', { types: ['bookings', 'staff'], filter: 'id = 1' }), 'types: Fields and records are those'],
    [allow('see', { types: ['bookings'], fields: ['statsu'] }), 'fields: Bookings have no field “statsu”'],
    [allow('create', { types: ['bookings'], fields: ['note'] }), 'fields: The right to create cannot be narrowed'],
    [allow('put_back', { types: ['bookings'], filter: 'id = 1' }), 'filter: The right to put back cannot be narrowed'],
    [allow('see', { types: ['bookings'], fields: ['note'], filter: 'id = 1' }), 'filter: Which fields may be seen'],
    [deny('see', { types: ['bookings'], fields: ['id'] }), 'fields: Id is the key'],
    [allow(['change', 'change_many'], { most: 5 }), 'most: How many at most'],
    [allow('see', { types: ['bokings'] }), 'There is no type “bokings”'],
  ])('means nothing: %#', (l, message) => {
    expect(problem(l)).toContain(message);
  });

  it.each([
    [allow('see'), 'may see records of every type'],
    [allow(['see', 'change'], { types: ['bookings'] }), 'may see and change bookings'],
    [deny(['see'], { types: ['bookings', 'staff'] }), 'may not see bookings and staff'],
    [
      allow(['change'], { types: ['bookings'], fields: ['status', 'note'] }),
      'may change bookings, of their fields only status and note',
    ],
    [allow('see', { types: ['bookings'], filter: 'owner = me()' }), 'may see bookings, where owner = me()'],
    [allow('change_many', { most: 5000 }), 'may change many at once in records of every type, up to 5,000'],
    [
      deny('change_many', { types: ['bookings'], most: 5000 }),
      'may not change many at once in bookings, more than 5,000',
    ],
    [deny(['steer', 'keep_open']), 'may not steer others’ previews and runs or keep things open to all'],
    [allow('see', { types: ['lost'] }), 'may see “lost” (no longer there)'],
  ])('is said in words: %#', (l, words) => {
    expect(lineWords(l, meadow)).toBe(words);
  });
});
