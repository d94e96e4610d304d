import type { Answer, Route } from '@tantamos/contract';
import type { TSchema } from '@sinclair/typebox';
import type { Request, Response } from 'express';
import type { Seen } from '../rights/seen';
import type { Services } from '../services';

/** One call, already signed in and checked. */
export interface Call<Body = unknown, Query = unknown> {
  readonly services: Services;
  /** What the person may see and do: every answer is made from it. Of routes open to everyone, nothing. */
  readonly seen: Seen;
  readonly params: Readonly<Record<string, string>>;
  readonly body: Body;
  readonly query: Query;
  readonly req: Request;
  readonly res: Response;
  /** The id that a preview or run that is made gets, where an Idempotency-Key says which. */
  readonly madeAs?: string;
}

/** Answered when the handler wrote by itself: a file, or events. */
export const sent = Symbol('sent');

type Made<C> = C extends new () => infer I ? I : undefined;
type AnswerOf<R extends Route> =
  | (R['answer'] extends TSchema ? Answer<R['answer']> : void)
  | (R extends { files: readonly string[] } | { events: true } ? typeof sent : never);

/** What answers a route: takes what the route says, returns what it says. */
export type Handler<R extends Route> = (
  call: Call<R extends { body: infer B } ? Made<B> : undefined, R extends { query: infer Q } ? Made<Q> : undefined>,
) => Promise<AnswerOf<R>>;

/** One for each of some routes; one that is missing, or answers something else, does not compile. */
export type Handlers<R extends Readonly<Record<string, Route>>> = { readonly [K in keyof R]: Handler<R[K]> };
