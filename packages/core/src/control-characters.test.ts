import fc from 'fast-check';
import { visibleControls } from './control-characters';

describe('control characters as signs that can be seen', () => {
  it.each([
    ['\x1b[31mred\x1b[0m', '␛[31mred␛[0m'],
    ['a\0b\x07', 'a␀b␇'],
    ['\x9b2J', '<U+009B>2J'],
    ['\x7f', '␡'],
    ['user\u202etxt.exe', 'user<U+202E>txt.exe'],
    ['line\r\nand\ttab, “ü” 🐝', 'line\r\nand\ttab, “ü” 🐝'],
  ])('%j', (text, seen) => expect(visibleControls(text)).toBe(seen));

  it('leaves none, and nothing else changed', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), (text) => {
        const seen = visibleControls(text);
        expect(seen).not.toMatch(/[\0-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]/);
        if (!/[\0-\x1f\x7f-\x9f\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]/.test(text)) expect(seen).toBe(text);
      }),
    );
  });
});
