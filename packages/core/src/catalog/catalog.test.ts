import { catalog } from '../testing/catalog';
import type { ProblemError } from '../problem';
import { identifier, join, raw, render, sql, value } from '../sql/sql';
import { clip, fieldOf } from './catalog';
import { closest } from './closest';
import { pathText, resolveColumn } from './path';

const bookings = catalog.type('bookings');
const problemOf = (work: () => unknown) => {
  try {
    work();
  } catch (error) {
    return (error as ProblemError).problems[0];
  }
  throw new Error('It was taken.');
};

describe('nearest names', () => {
  it.each([
    ['statsu', ['status', 'site', 'start_on'], ['status']],
    ['Ines Caloway', ['Ines Calloway', 'Marta Quill'], ['Ines Calloway']],
    ['book', ['bookings', 'hives'], ['bookings']],
    ['grower name', ['name', 'grower.name'], ['grower.name']],
    ['zzz', ['status', 'site'], []],
    ['x'.repeat(500), ['x'], []],
    ['a', ['b', 'c', 'd', 'e'], ['b', 'c', 'd']],
  ])('%s among %j', (typed, candidates, expected) => expect(closest(typed, candidates)).toEqual(expected));
});

describe('names of the catalog', () => {
  it('finds fields in any case, and offers the nearest by name or label', () => {
    expect(fieldOf(bookings, 'STATUS').name).toBe('status');
    expect(problemOf(() => fieldOf(bookings, 'Start onn'))).toMatchObject({
      code: 'unknown_field',
      suggestions: ['start_on'],
    });
    expect(problemOf(() => catalog.type('Bookngs'))).toMatchObject({ code: 'unknown_type', suggestions: ['bookings'] });
  });

  it('follows paths, and says at which step they end', () => {
    expect(pathText(resolveColumn(catalog, bookings, 'owner.lead.Name'))).toBe('owner.lead.name');
    expect(problemOf(() => resolveColumn(catalog, bookings, 'status.name'))).toMatchObject({ code: 'type_mismatch' });
    expect(problemOf(() => resolveColumn(catalog, bookings, 'owner.'))).toMatchObject({ code: 'unknown_field' });
    expect(problemOf(() => resolveColumn(catalog, bookings, 'owner.nope'))).toMatchObject({
      message: 'Staff have no field “nope”.',
    });
  });

  it('cuts a hostile name to what fits a sentence', () => expect(clip('x'.repeat(1000))).toHaveLength(60));
});

describe('pieces of SQL', () => {
  it('number their values in order, however they are put together', () => {
    const inner = sql`a = ${value(1)}`;
    const { text, values } = render(
      sql`select ${join([raw('x'), identifier('we"ird', 't')], ', ')} where ${inner} or (${inner} and b = ${value('two')})`,
    );
    expect(text).toBe('select x, "we""ird"."t" where a = $1 or (a = $2 and b = $3)');
    expect(values).toEqual([1, 1, 'two']);
  });
});
