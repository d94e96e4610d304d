import { capital, counted, duration, keyWords, moment, number } from './format';
import { inLines } from './json';

describe('how things are written', () => {
  it('numbers, and one of a thing apart from many', () => {
    expect(number(1234567)).toBe('1,234,567');
    expect([0, 1, 2, 1200].map((n) => counted(n, 'record'))).toEqual([
      '0 records',
      '1 record',
      '2 records',
      '1,200 records',
    ]);
    expect(counted(2, 'entry', 'entries')).toBe('2 entries');
    expect([capital('not allowed'), capital('')]).toEqual(['Not allowed', '']);
  });

  it('a length of time, as a person would say it', () => {
    expect([0, 999, 1000, 59_499, 60_000, 130_000, 3_599_000, 3_600_000, 90_061_000].map(duration)).toEqual([
      'less than a second',
      'less than a second',
      '1 s',
      '59 s',
      '1 min 0 s',
      '2 min 10 s',
      '59 min 59 s',
      '1 h 0 min',
      '25 h 1 min',
    ]);
  });

  it('a moment of today by its clock alone', () => {
    const now = new Date();
    expect(moment(now.toISOString())).toMatch(/^\d\d:\d\d$/);
    expect(moment(new Date(now.getTime() - 400 * 86_400_000).toISOString())).toMatch(/^\d+ \w+ \d{4} \d\d:\d\d$/);
  });

  it('keys of several fields by their parts; one that only looks so, as it is', () => {
    expect(keyWords('7')).toBe('7');
    expect(keyWords('["14","2026-05-01"]')).toBe('14 · 2026-05-01');
    expect(keyWords('["14"')).toBe('["14"');
    expect(keyWords('[14]')).toBe('[14]');
  });
});

describe('JSON in lines', () => {
  it('keeps digits, double names and their order, and empty things on one line', () => {
    expect(inLines('{"b":1.10,"a":{"x":[1,"y, {z}"],"e":{}},"a":[],"n":null}')).toBe(
      [
        '{',
        '  "b": 1.10,',
        '  "a": {',
        '    "x": [',
        '      1,',
        '      "y, {z}"',
        '    ],',
        '    "e": {}',
        '  },',
        '  "a": [],',
        '  "n": null',
        '}',
      ].join('\n'),
    );
  });

  it.each(['12345678901234567890.50', '"a \\" b"', 'true', '[]', '{ }', ''])('%j alone stays as it is', (text) =>
    expect(inLines(text).replace(/\s/g, '')).toBe(text.replace(/\s/g, '')),
  );

  it('says the same as before, however it is nested', () => {
    const deep = JSON.stringify(
      Array.from({ length: 30 }).reduce<unknown>((inner, _, i) => ({ [`k${i}`]: [inner, i] }), 'x'),
    );
    expect(JSON.parse(inLines(deep))).toEqual(JSON.parse(deep));
  });
});
