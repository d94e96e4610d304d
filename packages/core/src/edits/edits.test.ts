import { catalog } from '../testing/catalog';
import { noContext } from '../language/context';
import { ProblemError, type Problem } from '../problem';
import { editKinds, editMembers, editSentence, lowerEdit, type Edit } from './edit';

const bookings = catalog.type('bookings');
const lower = (edit: Edit) => lowerEdit(edit, { type: bookings, catalog, context: noContext });
const told = {
  type: bookings,
  catalog,
  nameOf: (typeId: string, text: string) => (typeId === 'staff' && text === '1' ? 'Ines Calloway' : undefined),
};
const problems = (edit: Edit): readonly Problem[] => {
  try {
    lower(edit);
  } catch (error) {
    if (error instanceof ProblemError) return error.problems;
    throw error;
  }
  throw new Error('It was taken.');
};
const put = (field: string, values: Record<string, string | number | boolean | null>): Edit => ({
  kind: 'put',
  field,
  values,
});

describe('edits', () => {
  it('are said in words, choices by their labels', () => {
    const said = (edit: Edit): string => editSentence(edit, told);
    expect(said({ kind: 'set', field: 'status', value: 'placed' })).toBe('set status to Placed');
    expect(said({ kind: 'set', field: 'NOTE', value: '' })).toBe('set note to the empty text');
    expect(said({ kind: 'set', field: 'hives', value: 7 })).toBe('set hives to 7');
    // A record by its name, whether it was said by name or by key.
    expect(said({ kind: 'set', field: 'owner', value: '1' })).toBe('set owner to Ines Calloway');
    expect(said({ kind: 'fill', field: 'note', value: 'two words' })).toBe('fill blank note with “two words”');
    expect(said({ kind: 'clear', field: 'start_on' })).toBe('clear start on');
    expect(said(put('hives', { 1: 2 }))).toBe('put 1 value of its own into hives');
    expect(said({ kind: 'put', field: 'hives', given: { id: 'x', count: 1200 } })).toBe(
      'put 1,200 values, one a record, into hives',
    );
    expect(said({ kind: 'set', field: 'note', value: 'For {crop}', where: 'hives > 5' })).toBe(
      'set note to “For {crop}” (only where hives is over 5)',
    );
    expect(said({ kind: 'compute', field: 'hives', formula: 'hives * 2' })).toBe('set hives to what hives * 2 gives');
    expect(said({ kind: 'copy', field: 'note', from: 'owner.name' })).toBe('copy owner’s name to note');
    expect(said({ kind: 'move', field: 'note', from: 'reference', filled: 'join', with: '; ' })).toBe(
      'move reference to note, joined to what is there with “; ”',
    );
    expect(said({ kind: 'replace', field: 'note', find: 'a', with: '', match: 'end', anyCase: true })).toBe(
      'replace “a” at the end in any case by nothing in note',
    );
    expect(said({ kind: 'tidy', field: 'note', how: ['spaces', 'title'] })).toBe(
      'tidy note: without idle spaces and with a capital at each word',
    );
    const pairs = ['draft', 'confirmed', 'placed'].map((old) => ({ old, new: 'draft' }));
    expect(said({ kind: 'map', field: 'status', pairs, rest: 'refuse' })).toBe(
      'map status: Draft → Draft, Confirmed → Draft, 1 more, no others allowed',
    );
    expect(said({ kind: 'shift', field: 'start_on', by: 1, to: 'end of month', next: 'monday' })).toBe(
      'shift start on by +1 day, to the end of month, to the next Monday',
    );
    expect(said({ kind: 'shift', field: 'hives', by: -2, percent: '5', round: 0 })).toBe(
      'shift hives by +5 %, by -2, rounded to 0 digits',
    );
    expect(said({ kind: 'number', field: 'note', prefix: 'B-', width: 4, order: ['-hives'], per: ['status'] })).toBe(
      'number note from B-0001 by hives (greatest first) for each status',
    );
    expect(said({ kind: 'split', field: 'owner', among: [{ to: 'Ines' }, { to: 'Pia' }], together: ['grower'] })).toBe(
      'split owner evenly among Ines and Pia, each grower kept together',
    );
    expect(said({ kind: 'split', field: 'owner', among: [{ to: 'Ines', weight: 3 }, { to: 'Pia' }] })).toBe(
      'split owner by weight among Ines (3) and Pia (1)',
    );
    expect(said({ kind: 'add', field: 'note', entries: ['a', 'b'] })).toBe('add “a” and “b” to note');
    expect(said({ kind: 'remove', field: 'note', entries: ['a'] })).toBe('remove “a” from note');
    // A sentence is said of a job that is wrong, too.
    expect(said({ kind: 'set', field: 'nope', value: 'x' })).toBe('set nope to x');
  });

  it('lower to one change each: a value for all, only where blank, none, or one a record', () => {
    expect(lower({ kind: 'set', field: 'status', value: 'Placed' })).toMatchObject([
      { field: { name: 'status' }, value: { from: 'expression', tree: { kind: 'value', text: 'placed' } }, when: null },
    ]);
    expect(lower({ kind: 'fill', field: 'hives', value: 12 })).toMatchObject([
      { value: { tree: { dbType: 'smallint', text: '12' } }, when: { kind: 'blank' } },
    ]);
    expect(lower({ kind: 'clear', field: 'note' })).toMatchObject([{ value: { tree: { kind: 'null' } }, when: null }]);
    expect(lower({ kind: 'set', field: 'owner', value: 'Ines Calloway' })).toMatchObject([
      { value: { tree: { kind: 'named', question: { typeId: 'staff', text: 'Ines Calloway' } } } },
    ]);
    const [change] = lower(put('hives', { '007': 1, 8: '2' }));
    if (change?.value.from !== 'given' || 'kept' in change.value.given) throw new Error('Not given.');
    expect(change.value.given.entries.map((e) => e.key)).toMatchObject([{ text: '8' }, { text: '7' }]);
    expect(lower({ kind: 'put', field: 'hives', given: { id: 'kept', count: 2 } })).toMatchObject([
      { value: { from: 'given', given: { kept: 'kept' } } },
    ]);
  });

  it('the empty text is a value of a text; blanks alone and nothing are values of none', () => {
    expect(lower({ kind: 'set', field: 'note', value: '' })).toMatchObject([{ value: { tree: { text: '' } } }]);
    for (const [field, value] of [
      ['note', '   '],
      ['status', ''],
      ['owner', ''],
      ['hives', ''],
      ['start_on', ' '],
    ] as const)
      expect(problems({ kind: 'set', field, value })).toMatchObject([
        { code: 'bad_value', where: 'value', message: expect.stringContaining('to leave it blank, clear it') },
      ]);
    expect(problems({ kind: 'clear', field: 'status' })).toMatchObject([{ code: 'not_editable', where: 'field' }]);
  });

  it.each(['id', 'nope', '__proto__', 'constructor', 'status"; --', 'owner.name', ''])(
    'no edit of the field %j',
    (field) => {
      for (const edit of [
        { kind: 'set', field, value: 'x' },
        { kind: 'fill', field, value: 'x' },
        { kind: 'clear', field },
        put(field, { 1: 'x' }),
      ] as Edit[])
        expect(problems(edit)[0]).toMatchObject({ where: 'field' });
    },
  );

  it('of values for each record, every wrong one is told of its record; many are counted', () => {
    expect(problems(put('hives', { 1: 5, 2: 'many', '02': 6, x: 1 })).map((p) => p.message)).toEqual([
      expect.stringMatching(/^2: Hives is a number; “many” is not/),
      expect.stringMatching(/^x: Id/),
    ]);
    expect(problems(put('hives', { 2: 5, '02': 6 }))).toMatchObject([{ where: 'values["02"]', code: 'bad_value' }]);
    expect(problems(put('hives', {}))).toMatchObject([{ where: 'values' }]);
    expect(problems(put('status', { 1: null, 2: 'draft' }))).toMatchObject([
      { where: 'values["1"]', message: '1: Status is required, so it cannot be cleared.' },
    ]);
    expect(lower(put('note', { 1: null, 2: 'x' }))).toHaveLength(1);
    const many = problems(put('hives', Object.fromEntries(Array.from({ length: 5000 }, (_, i) => [i + 1, 'x']))));
    expect(many.length).toBeLessThanOrEqual(51);
    expect(many.at(-1)!.message).toMatch(/more|\d/);
  });
});

describe('members of edits', () => {
  const fits = (kind: Edit['kind'], member: string, given: unknown): boolean => editMembers(kind)[member]!.fits(given);

  it('of every kind: a field, and what else it needs, each described and refused with words', () => {
    for (const kind of editKinds) {
      expect(fits(kind, 'field', 'status')).toBe(true);
      for (const wrong of ['', 1, null, undefined, ['status'], {}, 'x'.repeat(201)])
        expect(fits(kind, 'field', wrong)).toBe(false);
      for (const member of Object.values(editMembers(kind))) {
        expect(member.must).toMatch(/^must be /);
        expect(Object.keys(member.schema)).toContain('type');
      }
    }
    expect(Object.keys(editMembers('clear'))).toEqual(['field', 'where']);
  });

  it('a value is a text, a number, true or false', () => {
    for (const right of ['', 'x', 0, -1.5, true, false]) expect(fits('set', 'value', right)).toBe(true);
    for (const wrong of [null, undefined, {}, [], NaN, Infinity, 'x'.repeat(1_000_001)])
      expect(fits('set', 'value', wrong)).toBe(false);
  });

  it('values by key are an object of such; kept ones an id and a count and nothing else', () => {
    const id = 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11';
    expect(fits('put', 'values', { 1: 'a', 2: 3 })).toBe(true);
    expect(fits('put', 'values', undefined)).toBe(true);
    for (const wrong of [null, [], 'x', { 1: undefined }, { 1: {} }]) expect(fits('put', 'values', wrong)).toBe(false);
    expect(fits('put', 'given', { id, count: 1 })).toBe(true);
    for (const wrong of [
      null,
      { id },
      { id: 'x', count: 1 },
      { id, count: 0 },
      { id, count: 1.5 },
      { id, count: '1' },
      { id, count: 1, more: 1 },
      { id, count: 2 ** 60 },
    ])
      expect(fits('put', 'given', wrong)).toBe(false);
  });
});
