import { catalog } from '../testing/catalog';
import { ProblemError, type Problem } from '../problem';
import { fitToField } from '../language/value';
import { pathText } from '../catalog/path';
import { orderOf, partsOfJob, readsOf } from '../order/order';
import { noContext } from '../language/context';
import { checkJob, jobSentence, type Job } from './job';
import { sentenceText } from './named-records';
import { equation, verdictEquation } from './acts';
import { letterOf, noTotals, outcomeAfter, outcomes, verdictOf, verdicts } from './outcome';
import { isOver, maySay, runStates, runVerbs } from './state';

const bookings = catalog.type('bookings');
const field = (name: string) => bookings.fields.find((f) => f.name === name)!;
const job: Job = {
  selection: { type: 'bookings', filter: "owner.name = 'A'" },
  edits: [
    { kind: 'set', field: 'status', value: 'Confirmed' },
    { kind: 'fill', field: 'note', value: 'x y' },
  ],
};
const problems = (bad: Job): readonly Problem[] => {
  try {
    checkJob(bad, catalog, noContext);
    return [];
  } catch (error) {
    return (error as ProblemError).problems;
  }
};

describe('a job', () => {
  it('is said in one sentence', () => {
    expect(sentenceText(jobSentence(job, catalog, noContext, [1240]))).toBe(
      'On the 1,240 bookings where owner’s name is “A”: set status to Confirmed and fill blank note with “x y”.',
    );
    expect(sentenceText(jobSentence({ selection: { type: 'bookings' }, edits: [] }, catalog, noContext))).toBe(
      'On all bookings: nothing to change yet.',
    );
    expect(
      sentenceText(jobSentence({ ...job, selection: { type: 'bookings', keys: ['1', '2'] } }, catalog, noContext, [2])),
    ).toMatch(/^On the 2 picked bookings: /);
  });

  it('reads what its filter, paths, edits and the rules they touch read', () => {
    const parts = partsOfJob(checkJob(job, catalog, noContext));
    const read = readsOf(parts[0]!).map((tree) => (tree.kind === 'field' ? pathText(tree.at) : tree.kind));
    expect(read.sort()).toEqual(['note', 'owner', 'owner.name', 'site', 'status']);
    expect(orderOf(parts)).toMatchObject({
      form: 1,
      env: { timeZone: 'UTC', now: '0' },
      parts: [{ act: 'update', type: 'bookings', of: 'bookings', writes: ['status', 'note'], inOrder: false }],
    });
  });

  it('finds every problem at once, each with its place', () => {
    const found = problems({
      selection: { type: 'bookings', filter: 'nope = 1' },
      edits: [
        { kind: 'set', field: 'hives', value: 99_999 },
        { kind: 'set', field: 'id', value: 1 },
      ],
    });
    expect(found.map((p) => [p.where, p.code])).toEqual([
      ['filter', 'unknown_field'],
      ['edits[0].value', 'bad_value'],
      ['edits[1].field', 'not_editable'],
    ]);
    expect(problems({ selection: { type: 'bookings' }, edits: [] })[0]?.code).toBe('no_edits');
  });
});

describe('a value typed for a field', () => {
  it.each([
    ['price', '12.50', '12.50'],
    ['price', '1e3', '1e3'],
    ['price', '-999999.99', '-999999.99'],
    ['hives', '-32768', '-32768'],
    ['hives', '5.0', '5.0'],
    ['water', 'Yes', 'true'],
    ['start_on', ' 2024-02-29 ', '2024-02-29'],
    ['seen_at', '2026-05-01T08:00:00Z', '2026-05-01 08:00:00+00:00'],
    ['seen_at', '2026-05-01 08:00', '2026-05-01 08:00:00+00:00'],
    ['status', 'confirmed', 'confirmed'],
    ['status', 'Confirmed', 'confirmed'],
    ['note', ' kept as it is ', ' kept as it is '],
    ['name', 'twelve chars', 'twelve chars'],
  ])('%s takes %j', (name, typed, stored) => expect(fitToField(field(name), typed)).toBe(stored));

  it.each([
    ['price', '12.505', 'bad_value'],
    ['price', '1234567.00', 'bad_value'],
    ['price', '1e-3', 'bad_value'],
    ['price', '12,50', 'bad_value'],
    ['price', 'NaN', 'bad_value'],
    ['hives', '32768', 'bad_value'],
    ['hives', '1e99', 'bad_value'],
    ['hives', '', 'bad_value'],
    ['start_on', '2023-02-29', 'bad_value'],
    ['start_on', '0000-01-01', 'bad_value'],
    ['seen_at', '2026-05-01T08:61:00Z', 'bad_value'],
    ['seen_at', '2026-05-01T08:00:00+99:00', 'bad_value'],
    ['name', 'thirteen char', 'value_too_long'],
    ['status', 'nope', 'unknown_choice'],
  ])('%s refuses %j', (name, typed, code) => {
    expect(() => fitToField(field(name), typed)).toThrow(ProblemError);
    try {
      fitToField(field(name), typed);
    } catch (error) {
      expect((error as ProblemError).code).toBe(code);
    }
  });
});

describe('outcomes and states', () => {
  it('every outcome has a letter of its own, and the equation adds up', () => {
    expect(new Set(outcomes.map(letterOf)).size).toBe(outcomes.length);
    const totals = { ...noTotals, matched: 240, changed: 5, not_yet: 235 };
    expect(equation(totals, [{ done: 'changed', label: 'Bookings', totals }])).toBe(
      '240 matched = 5 changed + 235 not yet',
    );
    const none = { already_right: 0, not_allowed: 0, edited_since: 0, gone: 0 };
    const all = { ...none, matched: 2, will_change: 2 };
    expect(verdictEquation(all, [{ done: 'deleted', label: 'Bookings', totals: all }])).toBe(
      '2 matched = 2 will be deleted',
    );
  });

  it('what a preview says is stored as what it becomes when its run starts', () => {
    expect(verdicts).toEqual(['will_change', 'already_right', 'not_allowed', 'edited_since', 'gone']);
    for (const verdict of verdicts) expect(verdictOf(letterOf(verdict))).toBe(verdict);
    expect(outcomeAfter('will_change')).toBe('not_yet');
    expect(() => verdictOf(letterOf('changed'))).toThrow('No verdict');
  });

  it('nothing follows a state that is over, and every other state can be stopped', () => {
    for (const steps of Object.values(runVerbs)) expect(runStates.filter((s) => isOver(s) && s in steps)).toEqual([]);
    expect(runStates.filter((s) => maySay('stop', s))).toEqual(runStates.filter((s) => !isOver(s) && s !== 'stopping'));
  });
});
