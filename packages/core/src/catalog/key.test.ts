import { catalog } from '../testing/catalog';
import type { ProblemError } from '../problem';
import { raw, render, sql } from '../sql/sql';
import type { Field, RecordType } from './catalog';
import {
  canonicalKey,
  hasKey,
  keyAmong,
  keyField,
  keyFields,
  keyIs,
  keyParts,
  keyRow,
  keyText,
  keyColumns,
  keyWords,
} from './key';

const bookings = catalog.type('bookings');
const part = (name: string, more: Partial<Field>): Field => ({
  ...bookings.fields[0]!,
  name,
  label: name,
  declared: more.dbType ?? 'integer',
  ...more,
});
const keyed = (...fields: Field[]): RecordType => ({ ...bookings, key: fields.map((f) => f.name), fields });
const slots = keyed(
  part('hive', { base: 'number', dbType: 'smallint' }),
  part('day', { base: 'date', dbType: 'date' }),
  part('note', { base: 'text', dbType: 'text' }),
);
const codes = keyed(part('code', { base: 'text', dbType: 'character varying(8)' }));
const keyless: RecordType = { ...bookings, key: [], notChangeable: 'Logs have no key.' };
const refused = (work: () => unknown): string => {
  try {
    work();
  } catch (error) {
    return (error as ProblemError).message;
  }
  throw new Error('It was taken.');
};

describe('keys', () => {
  it.each([
    ['7', '7'],
    [' 7 ', '7'],
    ['007', '7'],
    ['-0', '0'],
    ['2147483647', '2147483647'],
    ['-2147483648', '-2147483648'],
  ])('a whole number said as %j is %j', (said, key) => expect(canonicalKey(bookings, said)).toBe(key));

  it.each(['2147483648', '7.0', '1e3', '', 'seven', '7; drop', '9'.repeat(1000), '7\0'])(
    '%j is no key of whole numbers',
    (said) => expect(refused(() => canonicalKey(bookings, said))).toMatch(/^Id/),
  );

  it('a text is taken to the letter', () => {
    expect(canonicalKey(codes, ' WK-104 ')).toBe(' WK-104 ');
    expect(canonicalKey(codes, '["a"]')).toBe('["a"]');
  });

  it('several fields are the JSON array of their texts, without a blank between', () => {
    const key = canonicalKey(slots, ' [ "014", "2026-05-01", "a \\"b\\"" ] ');
    expect(key).toBe('["14","2026-05-01","a \\"b\\""]');
    expect(keyParts(slots, key)).toEqual(['14', '2026-05-01', 'a "b"']);
    expect(keyWords(slots, key)).toBe('14 · 2026-05-01 · a "b"');
    expect(keyWords(bookings, '7')).toBe('7');
  });

  it.each([
    '7',
    '[7]',
    '["7","2026-05-01"]',
    '["7","2026-05-01","a","b"]',
    '{"hive":7}',
    '[7,null,"a"]',
    '[7,',
    'null',
  ])('%j is no key of three fields', (said) =>
    expect(refused(() => canonicalKey(slots, said))).toContain('hive, day, note'),
  );

  it('each part must fit its own field', () => {
    expect(refused(() => canonicalKey(slots, '["40000","2026-05-01","a"]'))).toContain('hive is a whole number');
    expect(refused(() => canonicalKey(slots, '["7","2026-02-30","a"]'))).toContain('day is a date');
    expect(refused(() => canonicalKey(slots, '["7","2026-05-01","a\\u0000"]'))).toContain('NUL');
  });

  it('says why where there is none, or several where one is needed', () => {
    expect(hasKey(keyless)).toBe(false);
    expect(refused(() => keyFields(keyless))).toBe('Logs have no key.');
    expect(refused(() => canonicalKey(keyless, '7'))).toBe('Logs have no key.');
    expect(refused(() => keyField(slots))).toContain('3 fields (hive, day, note)');
    expect(keyField(bookings).name).toBe('id');
  });

  it('is SQL whose every value is a parameter and of the field’s own type', () => {
    const one = render(keyAmong(bookings, raw('t'), ['1', "2'"]));
    expect(one.values).toEqual([['1', "2'"]]);
    expect(one.text).toBe('t."id" = any($1::text[]::integer[])');
    expect(render(keyAmong(bookings, raw('t'), ['1'], true)).text).toContain('<> all');
    const several = render(keyAmong(slots, raw('t'), ['["7","2026-05-01","a"]'], true));
    expect(several.text).toMatch(/^\(t\."hive", t\."day", t\."note"\) not in \(select .* from unnest\(\$1::text\[\]\)/);
    expect(several.text).toContain('::smallint');
    expect(render(keyRow(bookings, raw('t'))).text).toBe('t."id"');
    expect(render(keyText(keyColumns(slots, raw('t')))).text).toBe(
      'to_json(array[t."hive"::text, t."day"::text, t."note"::text])::text collate "C"',
    );
    expect(render(keyIs(slots, raw('t'), sql`k`)).text.match(/ and /g)).toHaveLength(2);
  });
});
