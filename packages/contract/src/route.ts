import type { TSchema } from '@sinclair/typebox';

export type Method = 'get' | 'post' | 'put' | 'patch' | 'delete';
type Class = new () => object;

/** One call of the interface. The service registers it, the client calls it, the document describes it, from this one place. */
export interface Route {
  readonly method: Method;
  readonly path: string;
  readonly summary: string;
  /** The shape of a JSON answer; null where the answer is nothing, or only a file. */
  readonly answer: TSchema | null;
  readonly status?: number;
  readonly body?: Class;
  readonly query?: Class;
  /** Its body is a file of one of these media types, read as it comes. */
  readonly takes?: readonly string[];
  /** Open to everyone; all others need a session. */
  readonly open?: true;
  /** Takes `Idempotency-Key`: saying it twice does it once. */
  readonly startsWork?: true;
  /** Asks as many records as there are: a person has a few of these under way at once. */
  readonly searches?: true;
  /** `files`: can be had as these media types too, streamed; `events`: the answer comes as server-sent events. */
  readonly files?: readonly string[];
  readonly events?: true;
}

/** Keeps the exact type of a noun's routes. */
export function routesOf<const R extends Readonly<Record<string, Route>>>(routes: R): R {
  return routes;
}
