import { noContext } from '../language/context';
import { ProblemError } from '../problem';
import { catalog } from '../testing/catalog';
import { fileType, isRows, rowsType } from './file-type';
import { columnNamed } from './column';
import { changesOfNew, checkPlan, type FileColumn, type FilePlan } from './plan';

const columns: FileColumn[] = [
  { name: 'Ref', looks: 'text', decimal: '.', order: 'dmy' },
  { name: 'List price', looks: 'number', decimal: ',', order: 'dmy' },
  { name: 'Starts', looks: 'date', decimal: '.', order: null },
  { name: 'Water', looks: 'text', decimal: '.', order: 'dmy' },
  { name: 'Remark', looks: 'text', decimal: '.', order: 'dmy' },
];
const file = { id: '01a21ada-a773-7508-95c9-c877d075c432', columns };
const plan: FilePlan = {
  type: 'bookings',
  match: [{ column: 'ref', field: 'name' }],
  take: [{ field: 'note', column: 'Remark' }],
  blank: 'leave',
  unknown: 'stop',
  several: 'skip',
};
const checked = (more: Partial<FilePlan>) => checkPlan({ ...plan, ...more }, file, catalog, noContext);
const problemsOf = (more: Partial<FilePlan>): readonly [string | undefined, string][] => {
  try {
    checked(more);
  } catch (error) {
    if (error instanceof ProblemError) return error.problems.map((p) => [p.where, p.message]);
    throw error;
  }
  return [];
};

describe('what a file of values is to do', () => {
  it('a column is read as what it is taken for, wherever it says so', () => {
    const { columns: read } = checked({
      take: [
        { field: 'price', column: 'list price' },
        { field: 'start_on', column: 'STARTS' },
        { field: 'water', column: 'Water' },
        { field: 'note', column: 'Remark' },
      ],
      readings: { Starts: { dates: 'mdy' } },
    });
    expect(read.map((c) => c.reading)).toEqual([
      { as: 'text' },
      { as: 'number', decimal: ',' },
      { as: 'date', order: 'mdy' },
      { as: 'yes_no' },
      { as: 'text' },
    ]);
  });

  it('one that nothing is made of is read as it stands; in a formula as what it looks like', () => {
    const { columns: read, reads } = checked({ take: [{ field: 'note', formula: 'TEXT(file."List price" * 2)' }] });
    expect(read.map((c) => c.reading.as)).toEqual(['text', 'number', 'text', 'text', 'text']);
    expect(reads).toEqual([[1]]);
  });

  it('dates that fit both ways are asked about only where they are taken as dates', () => {
    expect(problemsOf({ take: [{ field: 'note', column: 'Starts' }] })).toEqual([]);
    expect(problemsOf({ take: [{ field: 'start_on', column: 'Starts' }] })).toEqual([
      ['readings.Starts.dates', expect.stringContaining('can be read in two ways')],
    ]);
  });

  it('everything that is wrong is told at once, each where it stands', () => {
    const all = problemsOf({
      match: [{ column: 'Reff', field: 'name' }],
      take: [
        { field: 'nothing', column: 'Remark' },
        { field: 'id', column: 'Remark' },
        { field: 'note', column: 'Remarks' },
      ],
    });
    expect(all.map(([where]) => where)).toEqual([
      'match[0].column',
      'take[0].field',
      'take[1].field',
      'take[2].column',
    ]);
    expect(all[0]![1]).toBe('The file has no column “Reff”.');
  });

  it.each([
    ['hives', 'file.Remark * 2', '“file.Remark” is a text; only numbers are multiplied.'],
    ['hives', 'file.nope', 'The file has no column “nope”.'],
    ['hives', 'hives + 1', 'What is worked out of a file reads its columns: file.Ref, not “hives”.'],
    ['hives', 'file.', ''],
    ['hives', 'file.Remark.more', 'reads its columns'],
    ['hives', 'file.Remark', 'Hives is a number, but “c5” is a text.'],
  ])('%s = %s is told by the names of columns', (field, formula, words) => {
    const [[where, message]] = problemsOf({ take: [{ field, formula }] }) as [[string, string]];
    expect(where).toBe('take[0].formula');
    expect(message).toContain(words.replace('“c5”', '“file.Remark”'));
  });

  it('of new records the key may be said, and what rows are found by is given to them', () => {
    expect(problemsOf({ take: [{ field: 'id', column: 'Ref' }] })[0]![0]).toBe('take[0].field');
    const made = checked({ unknown: 'create', take: [{ field: 'id', column: 'Ref' }] });
    expect(changesOfNew(made).map((c) => c.field.name)).toEqual(['name', 'id']);
    // What is taken for the field itself stands.
    const said = checked({ unknown: 'create', take: [{ field: 'name', column: 'Remark' }] });
    expect(changesOfNew(said).map((c) => c.field.name)).toEqual(['name']);
  });

  it('an export that comes back needs no column to match by', () => {
    expect(problemsOf({ match: [] })).toEqual([['match', expect.stringContaining('find each other')]]);
    expect(checked({ match: [], signed: 'Ref' }).signed).toBe(0);
  });

  it('a column is found in any case, and the nearest are offered', () => {
    expect(columnNamed(' LIST price', columns)).toBe(1);
    try {
      columnNamed('Remrk', columns);
    } catch (error) {
      expect((error as ProblemError).problems[0].suggestions).toEqual(['Remark']);
    }
  });
});

describe('rows as records', () => {
  it('have a place, and every column twice: as it is read, and as it stands', () => {
    const type = fileType(file.id, [
      { name: 'a', reading: { as: 'number', decimal: '.' } },
      { name: 'b', reading: { as: 'text' } },
    ]);
    expect(type.fields.map((f) => [f.name, f.label, f.base])).toEqual([
      ['n', 'Row', 'number'],
      ['c1', 'a', 'number'],
      ['s1', 'a', 'text'],
      ['c2', 'b', 'text'],
      ['s2', 'b', 'text'],
    ]);
    expect([isRows(type), isRows(rowsType(3)), isRows(catalog.type('bookings'))]).toEqual([true, true, false]);
  });
});
