import { routes, type Route, type RouteName } from '@tantamos/contract';

/** As much of a route as calling it takes; plain data, so that a page need not carry how requests are checked. */
export interface Wire {
  readonly method: string;
  readonly path: string;
  readonly sends: 'body' | 'query' | 'file' | null;
  /** Answers JSON. */
  readonly answers: boolean;
  readonly files: boolean;
  readonly events: boolean;
}

function wireOf({ method, path, body, query, takes, answer, files, events }: Route): Wire {
  return {
    method: method.toUpperCase(),
    path,
    sends: takes ? 'file' : body ? 'body' : query ? 'query' : null,
    answers: answer !== null,
    files: files !== undefined,
    events: events === true,
  };
}

export const wires = Object.fromEntries(
  Object.entries(routes).map(([name, route]) => [name, wireOf(route)]),
) as Readonly<Record<RouteName, Wire>>;
