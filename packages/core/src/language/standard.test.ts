import { parseJson, printJson } from './json';
import { parse } from './parse';
import { print } from './print';

/**
 * Examples of the standard (OGC 21-065r2, its clauses on each conformance class), text and JSON as they stand side by
 * side there; but for the names of places, which are ours.
 */
const examples: readonly [name: string, text: string, json: object][] = [
  ['comparison', "city = 'Toronto'", { op: '=', args: [{ property: 'city' }, 'Toronto'] }],
  ['average', 'avg(windSpeed) < 4', { op: '<', args: [{ op: 'avg', args: [{ property: 'windSpeed' }] }, 4] }],
  ['arithmetic', 'balance - 150.0 > 0', { op: '>', args: [{ op: '-', args: [{ property: 'balance' }, 150.0] }, 0] }],
  ['date', "updated >= DATE('1991-12-31')", { op: '>=', args: [{ property: 'updated' }, { date: '1991-12-31' }] }],
  ['is null', 'geometry IS NOT NULL', { op: 'not', args: [{ op: 'isNull', args: [{ property: 'geometry' }] }] }],
  ['like', "name LIKE 'Smith%'", { op: 'like', args: [{ property: 'name' }, 'Smith%'] }],
  ['between', 'depth BETWEEN 100.0 AND 150.0', { op: 'between', args: [{ property: 'depth' }, 100, 150] }],
  [
    'in',
    "cityName IN ('Toronto', 'Frankfurt', 'Tokyo', 'New York')",
    { op: 'in', args: [{ property: 'cityName' }, ['Toronto', 'Frankfurt', 'Tokyo', 'New York']] },
  ],
  [
    'not in',
    'category NOT IN (1, 2, 3, 4)',
    { op: 'not', args: [{ op: 'in', args: [{ property: 'category' }, [1, 2, 3, 4]] }] },
  ],
  [
    'casei',
    "CASEI(road_class) IN (CASEI('Οδος'), CASEI('Straße'))",
    {
      op: 'in',
      args: [
        { op: 'casei', args: [{ property: 'road_class' }] },
        [
          { op: 'casei', args: ['Οδος'] },
          { op: 'casei', args: ['Straße'] },
        ],
      ],
    },
  ],
  [
    'accenti',
    "ACCENTI(etat_vol) = ACCENTI('débárquér')",
    {
      op: '=',
      args: [
        { op: 'accenti', args: [{ property: 'etat_vol' }] },
        { op: 'accenti', args: ['débárquér'] },
      ],
    },
  ],
  [
    't_after',
    "T_AFTER(updated_at, DATE('2010-02-10'))",
    { op: 't_after', args: [{ property: 'updated_at' }, { date: '2010-02-10' }] },
  ],
  [
    't_before',
    "T_BEFORE(updated_at, TIMESTAMP('2012-08-10T05:30:00Z'))",
    { op: 't_before', args: [{ property: 'updated_at' }, { timestamp: '2012-08-10T05:30:00Z' }] },
  ],
  [
    't_contains',
    "T_CONTAINS(INTERVAL('2000-01-01T00:00:00Z', '2005-01-10T01:01:01.393216Z'), INTERVAL(starts_at, ends_at))",
    {
      op: 't_contains',
      args: [
        { interval: ['2000-01-01T00:00:00Z', '2005-01-10T01:01:01.393216Z'] },
        { interval: [{ property: 'starts_at' }, { property: 'ends_at' }] },
      ],
    },
  ],
  [
    't_during, open',
    "T_DURING(INTERVAL(starts_at, ends_at), INTERVAL('2005-01-10', '..'))",
    {
      op: 't_during',
      args: [{ interval: [{ property: 'starts_at' }, { property: 'ends_at' }] }, { interval: ['2005-01-10', '..'] }],
    },
  ],
  [
    't_finishedBy',
    "T_FINISHEDBY(INTERVAL(starts_at, ends_at), INTERVAL('1991-10-07T08:21:06.393262Z', '2010-02-10T05:29:20.073225Z'))",
    {
      op: 't_finishedBy',
      args: [
        { interval: [{ property: 'starts_at' }, { property: 'ends_at' }] },
        { interval: ['1991-10-07T08:21:06.393262Z', '2010-02-10T05:29:20.073225Z'] },
      ],
    },
  ],
  [
    'a_containedBy',
    "A_CONTAINEDBY(values, ('a', 'b', 'c'))",
    { op: 'a_containedBy', args: [{ property: 'values' }, ['a', 'b', 'c']] },
  ],
  [
    'a_overlaps, one',
    "A_OVERLAPS(layers, ('layers-us'))",
    { op: 'a_overlaps', args: [{ property: 'layers' }, ['layers-us']] },
  ],
  [
    'powers',
    'vehicle_height > (bridge_clearance - 1) ^ 2',
    {
      op: '>',
      args: [
        { property: 'vehicle_height' },
        { op: '^', args: [{ op: '-', args: [{ property: 'bridge_clearance' }, 1] }, 2] },
      ],
    },
  ],
  [
    'and, or, not',
    "(floors > 5 AND material = 'brick') OR NOT swimming_pool",
    {
      op: 'or',
      args: [
        {
          op: 'and',
          args: [
            { op: '>', args: [{ property: 'floors' }, 5] },
            { op: '=', args: [{ property: 'material' }, 'brick'] },
          ],
        },
        { op: 'not', args: [{ property: 'swimming_pool' }] },
      ],
    },
  ],
  ['quoted text', "name = 'it''s'", { op: '=', args: [{ property: 'name' }, "it's"] }],
  ['true and false', 'swimming_pool = TRUE', { op: '=', args: [{ property: 'swimming_pool' }, true] }],
  [
    'div and %',
    'a DIV 2 = b % 3',
    {
      op: '=',
      args: [
        { op: 'div', args: [{ property: 'a' }, 2] },
        { op: '%', args: [{ property: 'b' }, 3] },
      ],
    },
  ],
];

describe('examples of the standard', () => {
  it.each(examples)('%s: text to JSON and back', (_, text, json) => {
    expect(JSON.parse(printJson(parse(text)))).toEqual(json);
    expect(JSON.parse(printJson(parse(print(parseJson(json)))))).toEqual(json);
    expect(print(parseJson(printJson(parse(text))))).toBe(print(parse(text)));
  });

  it('keeps every digit of a number that comes as text, and refuses one that has lost some', () => {
    const exact = '{"op":"=","args":[{"property":"x"},12345678901234567890.123456789]}';
    expect(print(parseJson(exact))).toBe('x = 12345678901234567890.123456789');
    expect(printJson(parseJson(exact))).toBe(exact);
    expect(() => parseJson(JSON.parse(exact))).toThrow('more digits than JSON keeps for sure');
  });

  it.each([
    [{ op: '=', args: [1] }, '“=” takes 2 args, not 1'],
    [{ op: 'in', args: [{ property: 'x' }, 'y'] }, 'is a list'],
    [{ op: 'and', args: [] }, 'two or more'],
    [{ op: '~', args: [] }, 'no operation “~”'],
    [{}, 'expected a value or an object'],
    ['{"op":', 'not valid JSON'],
  ])('says what is wrong in %j', (json, message) => expect(() => parseJson(json)).toThrow(message));

  it('limits nesting in JSON too', () => {
    let json: object = { property: 'x' };
    for (let i = 0; i < 5000; i++) json = { op: 'not', args: [json] };
    expect(() => parseJson(json)).toThrow('nested');
  });
});
