import { AnswerError, type Client } from '@tantamos/client';
import { visibleControls, withControls } from '@tantamos/core';

// A value may hold characters that a terminal acts on. From the moment it arrives until it is printed, each of them is held as a
// private use character of Unicode's last plane, so that it is never taken for one of our own (colours), however a text is put
// together.

const lastPlane = 0x100000;
const held = /[\u{100000}-\u{102100}]/gu;

let raw = false;

/** `--raw`: control characters are printed as they are. */
export function printRaw(isRaw: boolean): void {
  raw = isRaw;
}

/** The text as it is printed: of what arrived, control characters as signs that can be seen; those of our own stay. */
export function printed(text: string): string {
  return raw ? released(text) : text.replace(held, (c) => visibleControls(original(c)));
}

/** The same of a text that is not from us at all. */
export function printedValue(text: string): string {
  return raw ? released(text) : visibleControls(released(text));
}

/** A value as JSON in which control characters are written as escapes (RFC 8259, section 7), so that none is printed. */
export function printedJson(value: unknown, indent?: number): string {
  return escapedJson(JSON.stringify(deep(value, released), null, indent));
}

/** The same of a text that is JSON already. */
export function escapedJson(text: string): string {
  return raw ? text : withControls(text, (code) => `\\u${code.toString(16).padStart(4, '0')}`);
}

const hold = (text: string): string => withControls(text, (code) => String.fromCodePoint(lastPlane + code));
const original = (c: string): string => String.fromCharCode(c.codePointAt(0)! - lastPlane);
const released = (text: string): string => text.replace(held, original);

/** The client with every control character held in what arrives, and as it was in what is sent back. */
export function holding(client: Client): Client {
  return new Proxy(client, {
    get(target, name: keyof Client) {
      const call = target[name] as unknown;
      if (typeof call !== 'function') return call;
      return (...given: unknown[]) => {
        const answer = (call as (...g: unknown[]) => unknown)(
          ...given.map((g) => (isPlain(g) ? deep(g, released) : g)),
        );
        if (answer instanceof Promise) return answer.then((a: unknown) => deep(a, hold), heldError);
        return isEvents(answer) ? heldEvents(answer) : answer;
      };
    },
  });
}

async function* heldEvents(events: AsyncIterable<unknown>): AsyncGenerator<unknown> {
  try {
    for await (const event of events) yield deep(event, hold);
  } catch (error) {
    heldError(error);
  }
}

function heldError(error: unknown): never {
  if (error instanceof AnswerError) throw new AnswerError(deep(error.details, hold) as AnswerError['details']);
  throw error;
}

function isEvents(answer: unknown): answer is AsyncIterable<unknown> {
  return typeof answer === 'object' && answer !== null && Symbol.asyncIterator in answer;
}

const isPlain = (value: unknown): boolean =>
  typeof value === 'string' ||
  Array.isArray(value) ||
  (typeof value === 'object' &&
    value !== null &&
    [Object.prototype, null].includes(Object.getPrototypeOf(value) as never));

/** The value with each text in it, names of members among them, as `change` makes it. */
function deep(value: unknown, change: (text: string) => string): unknown {
  if (typeof value === 'string') return change(value);
  if (Array.isArray(value)) return value.map((v) => deep(v, change));
  if (typeof value !== 'object' || value === null || !isPlain(value)) return value;
  return Object.fromEntries(Object.entries(value).map(([name, v]) => [change(name), deep(v, change)]));
}
