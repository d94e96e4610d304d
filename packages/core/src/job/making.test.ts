import { noContext } from '../language/context';
import { orderOf, partsOfJob } from '../order/order';
import { ProblemError } from '../problem';
import { catalog } from '../testing/catalog';
import { checkJob, jobSentence, type Job } from './job';
import { sentenceText } from './named-records';

const job: Job = {
  selection: { type: 'bookings' },
  act: 'create',
  from: { rows: 2 },
  edits: [
    { kind: 'set', field: 'id', value: 9 },
    { kind: 'set', field: 'note', value: 'made' },
  ],
};
const problemOf = (more: Partial<Job>): string => {
  try {
    checkJob({ ...job, ...more }, catalog, noContext);
  } catch (error) {
    if (error instanceof ProblemError) return `${error.problems[0].where ?? ''}: ${error.message}`;
    throw error;
  }
  return '';
};

describe('records made by themselves', () => {
  it('are a part of nobody’s records: nothing of them is looked at again', () => {
    const order = orderOf(partsOfJob(checkJob({ ...job, edits: allNeeded() }, catalog, noContext)));
    expect(order.parts).toHaveLength(1);
    expect(order.parts[0]).toMatchObject({ act: 'create', type: 'bookings', of: null, reads: [] });
  });

  it('are said in words, also as a further part', () => {
    expect(sentenceText(jobSentence(job, catalog, noContext))).toBe(
      'Make 2 bookings: set id to 9 and set note to “made”.',
    );
    const then: Job = {
      selection: { type: 'bookings', filter: 'id = 1' },
      edits: [{ kind: 'clear', field: 'note' }],
      then: [job],
    };
    expect(sentenceText(jobSentence(then, catalog, noContext))).toMatch(
      /^On the bookings where id is 1: clear note; then make 2 bookings: set id/,
    );
  });

  it.each([
    [{ selection: { type: 'bookings', filter: 'id = 1' } }, 'selection: New bookings are made, not selected'],
    [{ from: { rows: 0 } }, 'From 1 to 1,000'],
    [{ from: { rows: 1.5 } }, 'From 1 to 1,000'],
    [{ from: { file: 'x' } }, 'There is no such file of yours'],
    [{ also: [{ type: 'tasks', values: [] }] }, 'also: Nothing is made along'],
    [{ edits: [...job.edits, ...job.edits] }, 'is given twice'],
    [{ edits: [{ kind: 'set', field: 'nope', value: 1 }] }, 'edits[0].field'],
    [{ edits: [{ kind: 'compute', field: 'note', formula: 'note' }] }, 'edits[0].formula'],
  ] as const)('%j says what is wrong', (more, words) => {
    expect(problemOf(more as unknown as Partial<Job>)).toContain(words);
  });

  function allNeeded(): Job['edits'] {
    const { fields } = catalog.type('bookings');
    return fields
      .filter((f) => f.default === null && !f.generated && (f.required || f.name === 'id'))
      .map((f) => ({
        kind: 'set',
        field: f.name,
        value: f.choices?.[0]?.value ?? (f.base === 'date' ? '2026-05-01' : '7'),
      }));
  }
});
