import { openApi, routes, type Route, type RouteName } from '@tantamos/contract';
import { fail } from '@tantamos/core';
import express, { Router, type Express, type RequestHandler, type Response } from 'express';
import { rateLimit } from 'express-rate-limit';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import { isAboutShape } from '../database/refusal';
import type { Services } from '../services';
import { version } from '../version';
import { referencePage } from './reference-page';
import { sent, type Handler } from './handler';
import { once, type Answer } from './idempotency';
import { answerProblems } from './problem-details';
import { personOf, requireSession } from './security';
import { validated } from './validate';
import * as counts from './resources/counts';
import * as exploring from './resources/exploring';
import * as exporting from './resources/export';
import * as jobs from './resources/jobs';
import * as lists from './resources/lists';
import * as previews from './resources/previews';
import * as records from './resources/records';
import * as runs from './resources/runs';
import * as selections from './resources/selections';
import * as sessions from './resources/sessions';
import * as types from './resources/types';

// One handler a route; a route without one does not compile.
const handlers = {
  ...sessions,
  ...types,
  ...records,
  ...exploring,
  ...exporting,
  ...lists,
  ...selections,
  ...counts,
  ...jobs,
  ...previews,
  ...runs,
} as unknown as Record<RouteName, Handler<unknown, unknown>>;
handlers satisfies { [K in RouteName]: unknown };

const uuid = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

/** The HTTP interface and, below everything else, the console's files from `consoleFolder`. */
export function createApp(services: Services, consoleFolder: string | null): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(
    helmet({
      contentSecurityPolicy: { useDefaults: false, directives: contentSecurity },
      strictTransportSecurity: false,
    }),
  );
  app.use(
    pinoHttp({
      logger: services.log,
      useLevel: 'debug',
      serializers: { req: (r: { method: string; url: string }) => ({ method: r.method, url: r.url }) },
    }),
  );
  app.use('/api', (_req, res, next) => {
    res.setHeader('Cache-Control', 'no-store');
    next();
  });
  app.use(express.json({ limit: '8mb' }));
  app.use('/api/sessions', signInLimit);
  const signedIn = requireSession(services.accounts);
  const router = Router();
  for (const [name, route] of Object.entries(routes) as [RouteName, Route][])
    router[route.method](route.path, ...(route.open ? [] : [signedIn]), handle(services, route, handlers[name]));
  app.use(router);
  app.get('/api/openapi.json', signedIn, (_req, res) => void res.json(openApi(version)));
  app.get('/api/reference', signedIn, (_req, res) => void res.type('html').send(referencePage(openApi(version))));
  app.use('/api', () => fail('not_found', 'There is nothing here; /api/openapi.json lists what there is.'));
  if (consoleFolder !== null) serveConsole(app, consoleFolder);
  app.use(answerProblems);
  return app;
}

function handle(services: Services, route: Route, handler: Handler<unknown, unknown>): RequestHandler {
  return async (req, res) => {
    const params = req.params as Record<string, string>;
    if (params.id !== undefined && !uuid.test(params.id)) fail('not_found', 'There is nothing with this id.');
    const body = route.body ? await validated(route.body, req.body ?? {}) : undefined;
    const query = route.query ? await validated(route.query, { ...req.query }) : undefined;
    const person = personOf(res);
    const work = async (): Promise<Answer> => ({
      status: route.status ?? 200,
      answer: await withCatalogOfTheMoment(services, res, () =>
        handler({ services, person, params, body, query, req, res }),
      ),
    });
    // Where nothing can be written no work is started, and the answer says why.
    const key = route.startsWork && services.readOnly === null ? req.get('Idempotency-Key') : undefined;
    const { status, answer } =
      key === undefined ? await work() : await once(services.database, person, key, [route.path, params, body], work);
    if (answer === sent) return;
    if (status === 204) res.status(204).end();
    else res.status(status).json(answer);
  };
}

/** Where the tables have been altered since the catalog was read, it is read anew and the call made once more. */
async function withCatalogOfTheMoment(
  { catalogs, log }: Services,
  res: Response,
  call: () => Promise<unknown>,
): Promise<unknown> {
  const isStale = (error: unknown): boolean => isAboutShape(error) && !res.headersSent;
  try {
    return await call();
  } catch (error) {
    if (!isStale(error)) throw error;
    catalogs.refresh();
    return call().catch((again: unknown) => {
      if (!isStale(again)) throw again;
      log.warn({ err: again }, 'tables are others than the catalog says');
      return fail('catalog_changed', 'The tables of the database are being altered just now; try again in a moment.');
    });
  }
}

/** Ten wrong passwords a minute from one address. */
const signInLimit = rateLimit({
  windowMs: 60_000,
  limit: 10,
  skipSuccessfulRequests: true,
  standardHeaders: 'draft-8',
  legacyHeaders: false,
  handler: () => fail('too_many_requests', 'Too many attempts; wait a minute.'),
});

function serveConsole(app: Express, folder: string): void {
  app.use('/assets', express.static(`${folder}/assets`, { immutable: true, maxAge: '1y', fallthrough: false }));
  app.use(express.static(folder, { index: false }));
  app.get('/{*path}', (_req, res) =>
    res.setHeader('Cache-Control', 'no-cache').sendFile('index.html', { root: folder }),
  );
}

const contentSecurity = {
  defaultSrc: ["'self'"],
  styleSrc: ["'self'", "'unsafe-inline'"],
  imgSrc: ["'self'", 'data:'],
  objectSrc: ["'none'"],
  frameAncestors: ["'none'"],
  baseUri: ["'none'"],
  formAction: ["'self'"],
};
