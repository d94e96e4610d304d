import { catalog } from '../testing/catalog';
import { noContext } from '../language/context';
import { ProblemError } from '../problem';
import { handoverJob, isTicked } from './handover';
import { checkJob, jobSentence, partsSaid, type Job } from './job';
import { sentenceText } from './named-records';
import { alike, partWords } from './parts';

describe('parts of a job', () => {
  it('relatives of an earlier part are relatives of its selection', () => {
    const job: Job = {
      selection: { type: 'staff', filter: "name = 'A'" },
      edits: [],
      then: [
        { selection: { type: 'bookings' }, follows: { field: 'owner' }, edits: [] },
        { selection: { type: 'staff' }, follows: { field: 'owner', how: 'pointed_at' }, edits: [] },
      ],
    };
    const [first, second, third] = partsSaid(job);
    expect(second!.selection.related).toEqual({ of: first!.selection, how: 'pointing_at', field: 'owner' });
    expect(third!.selection.related).toEqual({ of: second!.selection, how: 'pointed_at', field: 'owner' });
  });

  it.each([2, 3, 0, -1, 1.5, NaN])('none rests on itself or a later one, or on one that is none: %p', (part) => {
    const job: Job = {
      selection: { type: 'staff' },
      edits: [],
      then: [{ selection: { type: 'bookings' }, follows: { field: 'owner', part }, edits: [] }],
    };
    expect(() => partsSaid(job)).toThrow(ProblemError);
  });

  it.each([
    ['status = 1 +', 'owner', ['filter']],
    [undefined, 'ownr', ['then[0].follows.field']],
    [undefined, 'grower', ['then[0].follows.field']],
    ['nme = 1', 'ownr', ['filter']],
  ])('what is wrong is told where it was said, and once: %p, %p', (filter, field, places) => {
    const job: Job = {
      selection: { type: 'staff', ...(filter ? { filter } : {}) },
      edits: [{ kind: 'set', field: 'name', value: 'x' }],
      then: [
        { selection: { type: 'bookings' }, follows: { field }, edits: [{ kind: 'set', field: 'note', value: 'y' }] },
      ],
    };
    const told = (): readonly (string | undefined)[] => {
      try {
        checkJob(job, catalog, noContext);
        return [];
      } catch (error) {
        return (error as ProblemError).problems.map((p) => p.where);
      }
    };
    expect(told()).toEqual(places);
  });

  it('each is said in words, and records of several stand in groups', () => {
    expect(partWords({ act: 'create', label: 'Tasks', madeFor: 'Staff' })).toBe(
      'make tasks, one for each of the staff',
    );
    const record = (type: string, makes: string | null, field: string) => ({ type, makes, changes: [{ field }] });
    const groups = alike([
      record('a', null, 'x'),
      record('a', null, 'x'),
      record('b', 'c', 'y'),
      record('b', null, 'y'),
    ]);
    expect(groups.map((g) => [g.of, g.records.length])).toEqual([
      ['a', 2],
      ['c, one for each of b', 1],
      ['b', 1],
    ]);
  });

  it('a deletion says only which records', () => {
    const job: Job = { selection: { type: 'bookings' }, act: 'delete', edits: [] };
    expect(sentenceText(jobSentence(job, catalog, noContext, [3]))).toBe('On all 3 bookings: delete them.');
    expect(() => checkJob({ ...job, edits: [{ kind: 'clear', field: 'note' }] }, catalog, noContext)).toThrow(
      'deleted',
    );
  });
});

describe('a hand over as a job', () => {
  it('is ticked by itself where a person answers for it, it can be changed and there is some', () => {
    const line = { isOwner: true, not: null, open: 0, total: 3 };
    expect([isTicked(line, 'open'), isTicked(line, 'all')]).toEqual([false, true]);
    expect(isTicked({ ...line, isOwner: false }, 'all')).toBe(false);
    expect(isTicked({ ...line, not: 'It is a key.' }, 'all')).toBe(false);
  });

  it('names the person in words that are quoted, and hands over nothing twice', () => {
    const line = { type: 'bookings', field: 'owner', which: 'all' } as const;
    const person = { type: 'staff', person: "O'Hara" };
    const job = handoverJob(person, { lines: [line], among: [{ to: '1' }] }, catalog);
    expect(job).toEqual({
      selection: { type: 'bookings', filter: "owner = 'O''Hara'" },
      edits: [{ kind: 'set', field: 'owner', value: '1' }],
    });
    expect(() => handoverJob(person, { lines: [line, line], among: [{ to: '1' }] }, catalog)).toThrow('twice');
    expect(() => handoverJob(person, { lines: [], among: [] }, catalog)).toThrow('Nothing');
  });
});
