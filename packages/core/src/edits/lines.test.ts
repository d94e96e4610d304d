import { separatorOf, withoutHeading } from './lines';

describe('lines of columns', () => {
  it.each([
    ['old\tnew\nfrost, late\tcold', '\t'],
    ['frost, late;cold\nhail;cold', ';'],
    ['frost,cold\nhail,"a;b"\nrain,wet', ','],
    ['frost', '\t'],
    ['', '\t'],
  ])('%j has %j between its columns', (text, separator) => expect(separatorOf(text)).toBe(separator));

  it('a heading is no line, but for the only one', () => {
    const rows = [
      ['Kind ', 'new'],
      ['co-operative', 'member'],
    ];
    expect(withoutHeading(rows, ['kind'])).toEqual([rows[1]]);
    expect(withoutHeading(rows, ['note'])).toEqual(rows);
    expect(withoutHeading([rows[0]!], ['kind'])).toEqual([rows[0]]);
    expect(withoutHeading([], ['kind'])).toEqual([]);
  });
});
