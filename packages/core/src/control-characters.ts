/**
 * Characters that a terminal or a reader does not show, but acts on: C0 and C1 controls (ECMA-48) but for tab and line ends,
 * and marks of writing direction (Unicode, UAX #9), which can make a text read as another.
 */
const controls = /[\0-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]/g;

/** The text with each of them as a sign that can be seen: ␛ for ESC (Unicode, Control Pictures), else `<U+009B>`. */
export function visibleControls(text: string): string {
  return text.replace(controls, (c) => {
    const code = c.charCodeAt(0);
    if (code < 0x20) return String.fromCharCode(0x2400 + code);
    return code === 0x7f ? '\u2421' : `<U+${code.toString(16).toUpperCase().padStart(4, '0')}>`;
  });
}

/** The text with each of them as `change` makes it. */
export function withControls(text: string, change: (code: number) => string): string {
  return text.replace(controls, (c) => change(c.charCodeAt(0)));
}
