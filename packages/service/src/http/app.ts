import { openApi, routes, RunView, type Route } from '@tantamos/contract';
import { fail } from '@tantamos/core';
import { existsSync, readdirSync } from 'node:fs';
import { extname } from 'node:path';
import express, { Router, type Express, type RequestHandler, type Response } from 'express';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import { isAboutShape } from '../database/refusal';
import type { Services } from '../services';
import { version } from '../version';
import { onlyAccepted } from './accepted';
import { referencePage } from './reference-page';
import { sent, type Call } from './handler';
import { handlers } from './handlers';
import type { HeavyRequests } from './heavy-requests';
import { once } from './idempotency';
import { answerProblems } from './problem-details';
import { onlyHosts } from './hosts';
import { mustBeRead, usualReader, type Patience } from './readers';
import { personOf, requireSession } from './security';
import { fairShares } from './shares';
import { whileActing } from './still-acting';
import { refuseShape, refuseUnfit } from './unfit';
import { validated } from './validate';
const uuid = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

export interface AppOptions {
  /** Where the console's files are; null: there are none. */
  readonly consoleFolder?: string | null;
  /** Names it answers under, besides those of loopback. */
  readonly hosts?: readonly string[];
  /** Addresses or networks of proxies whose `X-Forwarded-…` headers are believed. */
  readonly proxies?: readonly string[];
  /** How much of an answer must be read in which time. */
  readonly reader?: Patience;
  /** Answers heavy requests apart; null: they are answered like any other. */
  readonly heavy: HeavyRequests | null;
}

/** The HTTP interface and, below everything else, the console's files. */
export function createApp(services: Services, options: AppOptions): Express {
  const { consoleFolder = null, hosts = [], proxies = [], reader = usualReader, heavy } = options;
  const app = express();
  app.disable('x-powered-by');
  if (proxies.length > 0) app.set('trust proxy', [...proxies]);
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
      // Headers hold cookies and tokens, bodies passwords: none of them is written, at no level.
      serializers: {
        req: (r: { method: string; url: string }) => ({ method: r.method, url: r.url }),
        res: (r: { statusCode: number }) => ({ statusCode: r.statusCode }),
      },
    }),
  );
  app.use(onlyHosts(hosts));
  app.use('/api', (_req, res, next) => {
    res.setHeader('Cache-Control', 'no-store');
    next();
  });
  const signedIn = requireSession(services.accounts);
  // Each of those that look after an answer hears of its end.
  app.use((_req, res, next) => {
    res.setMaxListeners(20);
    next();
  });
  const acting = whileActing(services.accounts);
  const sharesOf = fairShares();
  const router = Router();
  for (const [name, handler] of Object.entries(handlers) as [keyof typeof handlers, Answering][]) {
    const route: Route = routes[name];
    // Nothing is read of what a stranger sends but a few lines.
    const mind: RequestHandler = (_req, res, next) => {
      mustBeRead(res, reader);
      next();
    };
    const read = route.takes ? [] : [readJson('8mb')];
    const accepted = onlyAccepted(route);
    const apart = heavy?.handlerFor(route);
    const before = route.open
      ? [accepted, readJson('20kb')]
      : [signedIn, accepted, acting, ...sharesOf(route), ...(apart ? [apart] : []), ...read, mind];
    router[route.method](route.path, ...before, handle(services, route, handler));
  }
  app.use(router);
  app.get('/api/openapi.json', signedIn, (_req, res) => void res.json(openApi(version)));
  app.get('/api/reference', signedIn, (_req, res) => void res.type('html').send(referencePage(openApi(version))));
  app.use('/api', () => fail('not_found', 'There is nothing here; /api/openapi.json lists what there is.'));
  if (consoleFolder !== null) serveConsole(app, consoleFolder);
  app.use(answerProblems);
  return app;
}

/** A handler as it is called: what it is given has been checked against what its route says. */
type Answering = (call: Call) => Promise<unknown>;

function handle(services: Services, route: Route, handler: Answering): RequestHandler {
  return async (req, res) => {
    const params = req.params as Record<string, string>;
    if ([params.id, params.session].some((id) => id !== undefined && !uuid.test(id)))
      fail('not_found', 'There is nothing with this id.');
    await refuseUnfit({ ...params, ...req.query }, 'the address');
    await refuseUnfit(req.body ?? {}, 'the body');
    const body = route.body ? await validated(route.body, req.body ?? {}) : undefined;
    const query = route.query ? await validated(route.query, { ...req.query }) : undefined;
    const answered = (by: Answering, of = params, madeAs?: string): Promise<unknown> =>
      withCatalogOfTheMoment(services, res, async () => {
        const seen = route.open ? nobody : await services.gate.of(personOf(res));
        return by({ services, seen, params: of, body, query, req, res, madeAs });
      });
    // Where nothing can be written no work is started, and the answer says why.
    const key = route.startsWork && services.readOnly === null ? req.get('Idempotency-Key') : undefined;
    const answer =
      key === undefined
        ? await answered(handler)
        : await once(services.database, personOf(res), key, [route.path, params, body], {
            work: (id) => answered(handler, params, id),
            // Said again, it is answered with what has become of it, as the person may see it now.
            again: (id) => answered((route.answer === RunView ? handlers.run : handlers.preview) as Answering, { id }),
          });
    if (answer === sent) return;
    const status = route.status ?? 200;
    if (status === 204) res.status(204).end();
    else res.status(status).json(answer);
  };
}

/** Reads a body of JSON, once it is seen that it is not too much. */
function readJson(limit: string): RequestHandler {
  return express.json({ limit, verify: (_req, _res, body) => refuseShape(body) });
}

/** Who is not signed in sees nothing: routes open to everyone ask nothing of it. */
const nobody = new Proxy({} as Call['seen'], {
  get() {
    throw new Error('A route that is open to everyone may not ask what a person sees.');
  },
});

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

const encodings = { br: '.br', gzip: '.gz' } as const;

/** Sends the compressed file that was made beside the one asked for, where there is one that the browser takes. */
function compressed(folder: string): RequestHandler {
  const files = new Set(existsSync(folder) ? readdirSync(folder) : []);
  return (req, res, next) => {
    const name = req.path.slice(1);
    res.vary('Accept-Encoding');
    const encoding = (['br', 'gzip'] as const).find(
      (e) => files.has(`${name}${encodings[e]}`) && req.acceptsEncodings(e) === e,
    );
    if (encoding) {
      res.type(extname(name)).setHeader('Content-Encoding', encoding);
      req.url = `/${name}${encodings[encoding]}`;
    }
    next();
  };
}

function serveConsole(app: Express, folder: string): void {
  app.use(
    '/assets',
    compressed(`${folder}/assets`),
    express.static(`${folder}/assets`, { immutable: true, maxAge: '1y', redirect: false }),
  );
  app.use('/assets', () => fail('not_found', 'There is nothing here.'));
  // A redirect to a folder would repeat what was asked in its Location.
  app.use(express.static(folder, { index: false, redirect: false }));
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
