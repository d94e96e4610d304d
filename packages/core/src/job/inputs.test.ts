import { noContext, type Context } from '../language/context';
import type { ProblemError } from '../problem';
import { catalog } from '../testing/catalog';
import { askedOf, checkInputs, constantsOf, filledIn, type JobInput } from './inputs';
import type { Job } from './job';

const context: Context = { ...noContext, env: { timeZone: 'UTC', now: 1_764_115_200_000_000n } };
const job: Job = {
  selection: {
    type: 'bookings',
    filter: "owner = 'A' AND hives > 5 AND status IN ('draft', 'placed') AND start_on < DATE('2026-05-01')",
  },
  edits: [
    { kind: 'set', field: 'hives', value: 7, where: "note = 'x'" },
    { kind: 'shift', field: 'start_on', by: 3 },
    { kind: 'split', field: 'owner', among: [{ to: 'B' }, { to: 'C' }] },
  ],
  safety: { atMost: 100 },
};
const at = (literal: number) => ({ at: '/selection/filter', literal });
const input = (more: Partial<JobInput>): JobInput => ({ name: 'x', label: 'x', spots: [at(0)], ...more });
const filled = (inputs: JobInput[], said: Record<string, string>): Job => filledIn(job, inputs, said, catalog, context);
const problem = (work: () => unknown) => {
  try {
    work();
    return null;
  } catch (error) {
    const [first] = (error as ProblemError).problems;
    return [first.code, first.where];
  }
};

describe('what a job asks for', () => {
  it('may take the place of each value that stands in it', () => {
    expect(constantsOf(job, catalog).map((c) => [c.kind, c.text, c.spot.at, c.spot.literal])).toEqual([
      ['record', 'A', '/selection/filter', 0],
      ['number', '5', '/selection/filter', 1],
      ['choice', 'draft', '/selection/filter', 2],
      ['choice', 'placed', '/selection/filter', 3],
      ['date', '2026-05-01', '/selection/filter', 4],
      ['number', '7', '/edits/0/value', undefined],
      ['text', 'x', '/edits/0/where', 0],
      ['number', '3', '/edits/1/by', undefined],
      ['record', 'B', '/edits/2/among/0/to', undefined],
      ['record', 'C', '/edits/2/among/1/to', undefined],
      ['number', '100', '/safety/atMost', undefined],
    ]);
    expect(constantsOf({ ...job, selection: { type: 'bookings', filter: 'owner = (' } }, catalog)).toHaveLength(6);
  });

  it('is put in their places, quoted as it must be', () => {
    const inputs = [
      input({ name: 'who', spots: [at(0), { at: '/edits/2/among/1/to' }] }),
      input({ name: 'day', spots: [at(4)], usual: 'TODAY() + 7' }),
      input({ name: 'n', spots: [{ at: '/edits/0/value' }] }),
      input({ name: 'most', spots: [{ at: '/safety/atMost' }] }),
    ];
    checkInputs(job, inputs, catalog, context);
    const made = filled(inputs, { WHO: "O'Hara", n: '12', most: '9' });
    expect(made.selection.filter).toBe(
      "owner = 'O''Hara' AND hives > 5 AND status IN ('draft', 'placed') AND start_on < DATE('2025-12-03')",
    );
    expect(made.edits[2]).toMatchObject({ among: [{ to: 'B' }, { to: "O'Hara" }] });
    expect(made.edits[0]).toMatchObject({ value: 12 });
    expect(made.safety).toEqual({ atMost: 9 });
    // The job itself stays.
    expect(job.safety).toEqual({ atMost: 100 });
    expect(askedOf(job, inputs, catalog, context).map((a) => [a.kind, a.type, a.usual])).toEqual([
      ['record', 'staff', 'A'],
      ['date', null, '2025-12-03'],
      ['number', null, '7'],
      ['number', null, '100'],
    ]);
  });

  it.each<[string, Partial<JobInput>, string]>([
    ['a name of spaces', { name: 'two words' }, 'inputs[0].name'],
    ['the place of nothing', { spots: [] }, 'inputs[0].spots'],
    ['a literal that is not there', { spots: [at(9)] }, 'inputs[0].spots'],
    ['a pointer to what a job is made of', { spots: [{ at: '/edits/0/kind' }] }, 'inputs[0].spots'],
    ['a hostile pointer', { spots: [{ at: '/constructor/prototype/x' }] }, 'inputs[0].spots'],
    ['values of two kinds', { spots: [at(0), at(1)] }, 'inputs[0].spots'],
    ['a usual value of another kind', { spots: [at(1)], usual: 'TODAY()' }, 'inputs[0].usual'],
    ['a usual value that reads a record', { usual: 'note' }, 'inputs[0].usual'],
  ])('cannot have %s', (_, wrong, where) => {
    expect(problem(() => checkInputs(job, [input(wrong)], catalog, context))?.[1]).toBe(where);
  });

  it.each<[string, Partial<JobInput>, string]>([
    ['a blank', {}, ' '],
    ['no number', { spots: [at(1)] }, 'many'],
    ['less than the least', { spots: [at(1)], from: '2' }, '1'],
    ['more than the greatest', { spots: [at(4)], to: '2026-12-31' }, '2027-01-01'],
    ['no choice of the field', { spots: [at(2)] }, 'nowhere'],
    ['what may not be chosen', { spots: [at(2)], among: ['Draft', 'placed'] }, 'confirmed'],
    ['a number too large for the field', { spots: [{ at: '/edits/0/value' }] }, '99999'],
  ])('refuses %s', (_, more, said) => {
    expect(problem(() => filled([input(more)], { x: said }))?.[1]).toBe('inputs.x');
  });

  it('takes a label for its choice, and refuses what it does not ask for', () => {
    expect(filled([input({ spots: [at(2)], among: ['Draft', 'placed'] })], { x: 'Placed' }).selection.filter).toContain(
      "IN ('placed', 'placed')",
    );
    expect(problem(() => filled([input({})], { y: '1' }))).toEqual(['bad_value', 'inputs.y']);
    expect(problem(() => checkInputs(job, [input({}), input({ name: 'X' })], catalog, context))).toEqual([
      'name_taken',
      'inputs[1].name',
    ]);
    expect(problem(() => checkInputs(job, [input({}), input({ name: 'y' })], catalog, context))?.[1]).toBe(
      'inputs[1].spots',
    );
  });
});
