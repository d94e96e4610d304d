import { noContext } from '../language/context';
import { noResultsOf } from '../language/no-result';
import { checkExpression } from '../language/check';
import { parse } from '../language/parse';
import { evaluate, type Readable } from '../language/evaluate/evaluate';
import { asPlainText } from '../language/functions/text';
import { ProblemError, type Problem } from '../problem';
import { catalog } from '../testing/catalog';
import { lowerEdit, type Edit } from './edit';

const type = catalog.type('bookings');
const about = { type, catalog, context: noContext };
const record = (values: Readonly<Record<string, string | null>>): Readable => ({
  read: (path) => values[[...path.through.map((s) => s.field.name), path.field.name].join('.')] ?? null,
  children: () => [],
  selected: () => null,
});

/** What an edit gives for a record with these values, in memory. */
function given(edit: Edit, values: Readonly<Record<string, string | null>>): string | null {
  const [change] = lowerEdit(edit, about);
  if (change?.value.from !== 'expression') throw new Error('It is not worked out.');
  const worth = evaluate(change.value.tree, record(values), noContext.env);
  return worth === null ? null : asPlainText(worth);
}

const wrong = (edit: Edit): Problem => {
  try {
    lowerEdit(edit, about);
  } catch (error) {
    if (error instanceof ProblemError) return error.problems[0];
    throw error;
  }
  throw new Error('It was taken.');
};

describe('values that are worked out', () => {
  it('texts with fields take choices by their labels, references by name, and nothing for a blank', () => {
    const edit: Edit = { kind: 'set', field: 'note', value: '{status}: {hives} for {owner} ({start_on}) {{ok}}' };
    expect(given(edit, { status: 'draft', hives: '7', 'owner.name': 'Ines Calloway', start_on: '2026-05-01' })).toBe(
      'Draft: 7 for Ines Calloway (2026-05-01) {ok}',
    );
    expect(given(edit, { status: 'draft' })).toBe('Draft:  for  () {ok}');
  });

  it.each<[Edit, Record<string, string>, string]>([
    [{ kind: 'compute', field: 'hives', formula: 'hives * 2 + 1' }, { hives: '7' }, '15'],
    [{ kind: 'compute', field: 'note', formula: 'hives' }, { hives: '7' }, '7'],
    [{ kind: 'replace', field: 'note', find: 'Ab', with: 'x$&', anyCase: true }, { note: 'ab aB cab' }, 'x$& x$& cx$&'],
    [{ kind: 'replace', field: 'note', find: 'ab', with: '', match: 'word' }, { note: 'ab cab ab. üab' }, ' cab . üab'],
    [{ kind: 'replace', field: 'note', find: 'a.b', with: '-' }, { note: 'a.b axb' }, '- axb'],
    [{ kind: 'tidy', field: 'note', how: ['spaces', 'title'] }, { note: ' o’brien  AND don’t ' }, 'O’Brien And Don’t'],
    [{ kind: 'tidy', field: 'note', how: ['phone'], country: '44' }, { note: '(01632) 960 001' }, '+441632960001'],
    [{ kind: 'tidy', field: 'note', how: ['phone'] }, { note: '0049 30-123' }, '+4930123'],
    [{ kind: 'tidy', field: 'note', how: ['phone'], country: '+49' }, { note: ' +49 (30) 12' }, '+493012'],
    [{ kind: 'tidy', field: 'note', how: ['mail'] }, { note: ' MAILTO:Ines @Grower.Example' }, 'ines@grower.example'],
    [{ kind: 'tidy', field: 'note', how: ['digits'] }, { note: 'B-12/3' }, '123'],
    [{ kind: 'shift', field: 'hives', percent: '10', round: -1, most: 50 }, { hives: '26' }, '30'],
    [{ kind: 'shift', field: 'hives', percent: 100, most: 50 }, { hives: '26' }, '50'],
    [{ kind: 'shift', field: 'start_on', by: 1, unit: 'months' }, { start_on: '2026-01-31' }, '2026-02-28'],
    [{ kind: 'shift', field: 'start_on', by: -1, unit: 'weeks' }, { start_on: '2026-05-08' }, '2026-05-01'],
    [{ kind: 'shift', field: 'start_on', by: 3, unit: 'working days' }, { start_on: '2026-11-26' }, '2026-12-01'],
    [{ kind: 'shift', field: 'start_on', by: 1, unit: 'years' }, { start_on: '2024-02-29' }, '2025-02-28'],
    [{ kind: 'shift', field: 'start_on', to: 'end of quarter' }, { start_on: '2026-05-08' }, '2026-06-30'],
    [{ kind: 'shift', field: 'start_on', to: 'end of week' }, { start_on: '2026-11-26' }, '2026-11-29'],
    [{ kind: 'shift', field: 'start_on', to: 'end of year' }, { start_on: '2026-11-26' }, '2026-12-31'],
    [
      { kind: 'shift', field: 'start_on', to: 'start of month', next: 'monday' },
      { start_on: '2026-11-26' },
      '2026-11-02',
    ],
    [
      { kind: 'add', field: 'note', entries: ['frost', 'late'], separator: '; ' },
      { note: 'late ;x' },
      'late ;x; frost',
    ],
    [{ kind: 'add', field: 'note', entries: ['frost'] }, {}, 'frost'],
    [{ kind: 'remove', field: 'note', entries: ['b'] }, { note: 'a,b ,  c, b' }, 'a, c'],
    [{ kind: 'remove', field: 'note', entries: ['z'] }, { note: 'a,b ,  c' }, 'a,b ,  c'],
  ])('%j of %j is %j', (edit, values, expected) => expect(given(edit, values)).toBe(expected));

  it('why nothing comes out is told by what there is to tell', () => {
    const reasons = (formula: string): string[] =>
      noResultsOf(checkExpression(parse(formula), catalog, type, noContext)).map((r) => r.words);
    expect(reasons('hives / (hives - 5)')).toEqual(['division by zero', 'hives is blank']);
    expect(reasons('VALUE(note) + MOD(hives, 3)')).toEqual([
      'the text is no number',
      'division by zero',
      'note is blank',
      'hives is blank',
    ]);
    expect(reasons('DATEVALUE(note) + 1')).toEqual(['the text is no date', 'note is blank']);
    // What takes blanks is not to be blamed for one.
    expect(reasons('COALESCE(hives, 1)')).toEqual([]);
    expect(reasons('IF(hives > 1, hives, 2)')).toEqual([]);
  });

  it.each<[Edit, string, number | undefined]>([
    [{ kind: 'compute', field: 'hives', formula: 'note' }, 'formula', 0],
    [{ kind: 'compute', field: 'start_on', formula: 'hives + 1' }, 'formula', 0],
    [{ kind: 'compute', field: 'status', formula: 'hives' }, 'formula', 0],
    [{ kind: 'compute', field: 'hives', formula: '1 + ' }, 'formula', 4],
    [{ kind: 'set', field: 'note', value: 'For {hivs}' }, 'value', 5],
    [{ kind: 'fill', field: 'note', value: '{{ {hives +}' }, 'value', 11],
    [{ kind: 'number', field: 'note', prefix: '{nope}' }, 'prefix', 1],
    [{ kind: 'set', field: 'note', value: 'x', where: 'hives >' }, 'where', 7],
  ])('%j is refused at its place', (edit, where, start) => {
    const problem = wrong(edit);
    expect([problem.where, problem.span?.start]).toEqual([where, start]);
  });
});
