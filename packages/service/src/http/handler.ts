import type { Request, Response } from 'express';
import type { Person } from '../accounts/rights';
import type { Services } from '../services';

/** One call, already signed in and checked. What `answer` returns is sent as JSON; `sent` when it wrote by itself. */
export interface Call<Body = never, Query = never> {
  readonly services: Services;
  readonly person: Person;
  readonly params: Record<string, string>;
  readonly body: Body;
  readonly query: Query;
  readonly req: Request;
  readonly res: Response;
}
export const sent = Symbol('sent');
export type Handler<Body = never, Query = never> = (call: Call<Body, Query>) => Promise<unknown>;
