import type { FieldView } from '@tantamos/contract';
import { parse, print, ProblemError } from '@tantamos/core';
import fc from 'fast-check';
import { conditionsOf, isNoneOf, isOneOf, joinConditions, narrowed } from './conditions';
import type { FieldChoice } from './fields';
import { opsFor, rowsOf, takes, textOf, type Group, type Item, type Row } from './rows';

const field = (name: string, more: Partial<FieldView>): FieldChoice => ({
  path: name,
  label: name,
  field: { name, label: name, kind: more.base, choices: null, refersTo: null, required: false, ...more } as FieldView,
});
const fields: readonly FieldChoice[] = [
  field('name', { base: 'text' }),
  field('hives', { base: 'number' }),
  field('water', { base: 'yes_no' }),
  field('start_on', { base: 'date' }),
  field('seen_at', { base: 'moment' }),
  field('tags', { base: 'list' }),
  field('extra', { base: 'json' }),
  field('status', { base: 'text', kind: 'choice', choices: [{ value: 'draft', label: 'Draft' }] }),
  field('owner', { base: 'number', kind: 'reference', refersTo: 'staff' }),
  field('owner.name', { base: 'text' }),
];
const all = (...items: Item[]): Group => ({ kind: 'group', join: 'and', items });
const any = (...items: Item[]): Group => ({ kind: 'group', join: 'or', items });
const row = (path: string | null, op: Row['op'], ...values: string[]): Row => ({ kind: 'row', path, op, values });

describe('a filter as rows', () => {
  it.each<[Row, string]>([
    [row('name', 'is', "O'Marlow"), "name = 'O''Marlow'"],
    [row('name', 'contains', '50%_\\'), "CASEI(name) LIKE CASEI('%50\\%\\_\\\\%')"],
    [row('name', 'starts', 'A'), "CASEI(name) LIKE CASEI('A%')"],
    [row('name', 'ends', 'z'), "CASEI(name) LIKE CASEI('%z')"],
    [row('hives', 'between', '-1', '2.50'), 'hives BETWEEN -1 AND 2.50'],
    [row('hives', 'at_least', '9007199254740993'), 'hives >= 9007199254740993'],
    [row('hives', 'is', 'many'), "hives = 'many'"],
    [row('water', 'yes'), 'water'],
    [row('water', 'no'), 'NOT water'],
    [row('start_on', 'less', '2026-05-01'), "start_on < DATE('2026-05-01')"],
    [row('start_on', 'last', '30'), 'start_on BETWEEN TODAY() - 30 AND TODAY()'],
    [row('start_on', 'next', '7'), 'start_on BETWEEN TODAY() AND TODAY() + 7'],
    [row('seen_at', 'more', '2026-05-01'), "seen_at > DATE('2026-05-01')"],
    [row('tags', 'holds', 'organic'), "A_CONTAINS(tags, ('organic'))"],
    [row('status', 'none_of', 'draft', 'placed'), "status NOT IN ('draft', 'placed')"],
    [row('owner', 'is', 'Ines Calloway'), "owner = 'Ines Calloway'"],
    [row('owner', 'is', '58'), 'owner = 58'],
    [row('owner', 'is', 'me()'), 'owner = me()'],
    [row('owner', 'not_blank'), 'owner IS NOT NULL'],
    [row('owner.name', 'blank'), 'owner.name IS NULL'],
  ])('%j is “%s”, there and back', (one, text) => {
    expect(textOf(all(one), fields)).toBe(text);
    expect(rowsOf(text, fields)).toEqual(all(one));
  });

  it('keeps groups within groups, and leaves out what is not filled in yet', () => {
    const group = all(
      row('water', 'yes'),
      any(row('hives', 'more', '60'), all(row('name', 'blank'), row('tags', 'blank'))),
    );
    const text = 'water AND (hives > 60 OR (name IS NULL AND tags IS NULL))';
    expect(textOf(group, fields)).toBe(text);
    expect(textOf(rowsOf(text, fields), fields)).toBe(parseAndPrint(text));
    const unfinished = all(
      row(null, 'is'),
      row('name', 'is', '  '),
      row('hives', 'between', '1'),
      row('status', 'one_of'),
      any(row('name', 'is')),
      row('gone', 'is', 'x'),
    );
    expect(textOf(unfinished, fields)).toBe('');
    expect(rowsOf('  ', fields)).toEqual(all());
  });

  it.each([
    ["LOWER(name) = 'a'", 'it compares something worked out'],
    ['hives = price', 'what it is compared with has no row'],
    ["shoe = 'x'", 'rows know no field “shoe”'],
    ['NOT (water OR hives > 1)', 'a NOT around a group has no row'],
    ["in_selection('Spring')", 'IN_SELECTION has no row'],
    ["name LIKE 'a_c'", 'what it is compared with has no row'],
    ['hives NOT BETWEEN 1 AND 2', 'what it is compared with has no row'],
  ])('shows %s as text, and says why', (text, why) => {
    const [item] = rowsOf(text, fields).items;
    expect(item).toMatchObject({ kind: 'text', why });
    expect(textOf(rowsOf(`water AND (${text})`, fields), fields)).toBe(parseAndPrint(`water AND (${text})`));
  });

  it('tells the mistake of a text that cannot be read', () => {
    expect(() => rowsOf('name = ', fields)).toThrow(ProblemError);
    expect(() => rowsOf("name = 'a", fields)).toThrow(ProblemError);
  });

  it('whatever a person builds and types can be read, and is the same rows again', () => {
    const typed = fc.oneof(
      fc.string({ minLength: 1 }).filter((t) => t.trim() !== '' && !t.includes('\0')),
      fc.constantFrom('12', '-0.5', '2026-02-28', '%', "'", '\\', '_', 'a b', 'NULL', ')', '--', '1e5'),
    );
    const anyRow = fc.constantFrom(...fields).chain((f) =>
      fc.constantFrom(...opsFor(f)).chain((op) => {
        const [least, most] = takes[op] === 'many' ? [1, 3] : [takes[op], takes[op]];
        return fc.array(typed, { minLength: least, maxLength: most }).map((values) => row(f.path, op, ...values));
      }),
    );
    const group = fc
      .tuple(fc.constantFrom('and', 'or'), fc.array(anyRow, { maxLength: 4 }))
      .map(([join, items]): Group => ({ kind: 'group', join: join, items }));
    fc.assert(
      fc.property(group, (built) => {
        let text: string;
        try {
          text = textOf(built, fields);
          if (text !== '') parse(text);
        } catch (error) {
          // A date or moment that is none is a mistake that is told, not one that is lost.
          expect(error).toBeInstanceOf(ProblemError);
          return;
        }
        expect(textOf(rowsOf(text, fields), fields)).toBe(text);
      }),
      { numRuns: 500, seed: jest.getSeed() },
    );
  });
});

describe('conditions of the selection line', () => {
  it('are those that must all hold; narrowing never lets an OR take in what comes after it', () => {
    expect(conditionsOf('a = 1 AND (b = 2 OR c = 3) AND d = 4')).toEqual(['a = 1', '(b = 2 OR c = 3)', 'd = 4']);
    expect(conditionsOf('a = 1 OR b = 2')).toEqual(['a = 1 OR b = 2']);
    expect(conditionsOf('a = ')).toEqual(['a = ']);
    expect(conditionsOf(' ')).toEqual([]);
    expect(narrowed('a = 1 OR b = 2', parse('c = 3'))).toBe('(a = 1 OR b = 2) AND c = 3');
    expect(narrowed('a = 1', parse('b = 2 OR c = 3'))).toBe('a = 1 AND (b = 2 OR c = 3)');
    expect(joinConditions(['a = 1', '  ', 'b = 2'])).toBe('a = 1 AND b = 2');
  });

  it('values picked of a field: one of them, none of them, and what becomes of blanks', () => {
    const status = { base: 'text' as const };
    const text = (...values: (string | null)[]) => print(isOneOf('status', status, values));
    const not = (required: boolean, ...values: (string | null)[]) =>
      print(isNoneOf('status', { ...status, required }, values));
    expect(text('draft')).toBe("status = 'draft'");
    expect(text('draft', 'placed', null)).toBe("status IN ('draft', 'placed') OR status IS NULL");
    expect(text(null)).toBe('status IS NULL');
    // Blanks are kept where only values are taken away.
    expect(not(false, 'draft')).toBe("status <> 'draft' OR status IS NULL");
    expect(not(true, 'draft')).toBe("status <> 'draft'");
    expect(not(false, 'draft', null)).toBe("status <> 'draft'");
    expect(not(false, null)).toBe('status IS NOT NULL');
    expect(print(isNoneOf('owner.status', { ...status, required: true }, ['a', 'b']))).toBe(
      "owner.status NOT IN ('a', 'b') OR owner.status IS NULL",
    );
    expect(print(isOneOf('seen_at', { base: 'moment' }, ['2026-05-01 08:00:00+00']))).toBe(
      "seen_at = TIMESTAMP('2026-05-01T08:00:00Z')",
    );
  });
});

function parseAndPrint(text: string): string {
  return print(parse(text));
}
