import { growth, linear } from '../testing/growth';
import { entryKey, piecesOf, type Reading } from './pasted';

const mails: Reading = { addresses: true, names: false, types: [] };
const codes: Reading = { addresses: false, names: false, types: ['growers', 'hives'] };
const entries = (text: string, reading: Reading) => [...piecesOf(text, reading)].map((p) => p.entry);

describe('a pasted text taken apart', () => {
  it.each([
    ['one@a.example\ntwo@a.example\n', ['one@a.example', 'two@a.example']],
    [
      'one@a.example; two@a.example,three@a.example\tfour@a.example',
      ['one@a.example', 'two@a.example', 'three@a.example', 'four@a.example'],
    ],
    ['Some One <one@a.example>, "Two, The" <two@a.example>', ['one@a.example', 'two@a.example']],
    ['mailto:one@a.example\r\n<two@a.example>.', ['one@a.example', 'two@a.example']],
    ['\n  \nnot an address\n', [null, null, null]],
    ['"one@a.example"\n\u200bTWO@A.example;\n', ['one@a.example', 'TWO@A.example']],
  ])('addresses in %j', (text, expected) => expect(entries(text, mails)).toEqual(expected));

  it.each([
    ['G-1, G-2;G-3', ['G-1', 'G-2', 'G-3']],
    ['• G-1.\n- G-2\n(G-3)', ['G-1', 'G-2', 'G-3']],
    ['"G-1","a ""b"" c"\n"two\nlines"', ['G-1', 'a "b" c', 'two\nlines']],
    ['5" tube\nG-2', ['5" tube', 'G-2']],
    ['http://x.example/records/growers/12?tab=1#top', ['12']],
    ['https://x.example/#/hives/7', ['7']],
    ['https://x.example/thing/000123', ['000123']],
    ['https://', ['https://']],
    ['\ufeffG-1', ['G-1']],
    ['-5', ['-5']],
  ])('codes in %j', (text, expected) => expect(entries(text, codes)).toEqual(expected));

  it('leaves commas in names that lines part, and tells the type a page names', () => {
    const names = { ...codes, names: true };
    expect(entries('Calloway, Ines\nQuill, Marta', names)).toEqual(['Calloway, Ines', 'Quill, Marta']);
    expect(entries('"Calloway, Ines", Quill\nx', names)).toEqual(['Calloway, Ines', 'Quill', 'x']);
    expect(entries('Ines Calloway, Marta Quill', names)).toEqual(['Ines Calloway', 'Marta Quill']);
    expect([...piecesOf('http://x.example/records/hives/7', codes)][0]).toMatchObject({ entry: '7', ofType: 'hives' });
  });

  it.each([
    ['letters', (n: number) => 'a'.repeat(n)],
    ['quotes', (n: number) => '"'.repeat(n)],
    ['letters and quotes', (n: number) => 'a"'.repeat(n / 2)],
    ['spaces and quotes', (n: number) => `${' '.repeat(n / 2)}${'" '.repeat(n / 4)}`],
    ['half addresses', (n: number) => `${'a@'.repeat(n / 2)} x`],
    ['full stops', (n: number) => `a@b${'.'.repeat(n)}c`],
    ['marks', (n: number) => `x${')'.repeat(n)}x`],
    ['lines of nothing', (n: number) => ' \n'.repeat(n / 2)],
    ['page addresses', (n: number) => `https://a.example/${'a/'.repeat(n / 2)}`],
    ['many page addresses', (n: number) => 'https://a.example/a/b?a#?a\n'.repeat(n / 27)],
    ['commas', (n: number) => 'a,'.repeat(n / 2)],
  ])('reads %s in time that grows with their length, not faster', (_, text) => {
    for (const reading of [mails, { ...codes, names: true }])
      expect(growth((n) => Array.from(piecesOf(text(n), reading)).length, 40_000)).toBeLessThan(linear);
  });

  it('takes two writings for one entry, and a megabyte without trouble', () => {
    expect(entryKey(' G-0001\u00a0 a ')).toBe(entryKey('g-0001 A'));
    expect(entryKey('Cafe\u0301')).toBe(entryKey('CAFÉ'));
    expect([...piecesOf('"'.repeat(200_000), codes)]).toHaveLength(1);
    expect([...piecesOf('x,'.repeat(400_000), codes)]).toHaveLength(400_000);
  });
});
