import { problemCodes } from '@tantamos/core';
import { defaultMetadataStorage } from 'class-transformer/cjs/storage';
import { validationMetadatasToSchemas } from 'class-validator-jsonschema';
import { routes, type Route } from './routes';

type Json = Record<string, unknown>;

/** The OpenAPI 3.1 document, made from the routes and the classes their requests are checked with. */
export function openApi(version: string): Json {
  const schemas = validationMetadatasToSchemas({
    classTransformerMetadataStorage: defaultMetadataStorage as never,
    refPointerPrefix: '#/components/schemas/',
  });
  const paths: Record<string, Json> = {};
  for (const [name, route] of Object.entries(routes) as [string, Route][]) {
    const path = route.path.replace(/:(\w+)/g, '{$1}');
    (paths[path] ??= {})[route.method] = operation(name, route, schemas as Record<string, Json>);
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Tantamos',
      version,
      description: 'Select records, preview every change, apply it in bounded batches, take it back.',
    },
    servers: [{ url: '/' }],
    security: [{ token: [] }, { cookie: [] }],
    paths,
    components: {
      schemas: { ...schemas, ProblemDetails: problemDetails },
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        cookie: { type: 'apiKey', in: 'cookie', name: 'tantamos_session' },
      },
    },
  };
}

function operation(name: string, route: Route, schemas: Record<string, Json>): Json {
  const inPath = [...route.path.matchAll(/:(\w+)/g)].map((m) => ({
    name: m[1]!,
    in: 'path',
    required: true,
    schema: { type: 'string' },
  }));
  const query = route.query ? ((schemas[route.query.name]?.properties ?? {}) as Json) : {};
  const inQuery = Object.entries(query).map(([key, schema]) => ({ name: key, in: 'query', required: false, schema }));
  const inHeader = route.startsWork
    ? [
        {
          name: 'Idempotency-Key',
          in: 'header',
          required: false,
          description: 'Said twice with the same body, it is done once.',
          schema: { type: 'string', maxLength: 200 },
        },
      ]
    : [];
  const status = route.status ?? 200;
  const media = ['application/json', ...(route.media ?? [])];
  const answer =
    status === 204
      ? { description: 'Done' }
      : { description: route.answer, content: Object.fromEntries(media.map((m) => [m, {}])) };
  return {
    operationId: name,
    summary: route.summary,
    ...(route.open ? { security: [] } : {}),
    parameters: [...inPath, ...inQuery, ...inHeader],
    ...(route.body
      ? {
          requestBody: {
            required: true,
            content: { 'application/json': { schema: { $ref: `#/components/schemas/${route.body.name}` } } },
          },
        }
      : {}),
    responses: {
      [status]: answer,
      default: {
        description: 'What was wrong (RFC 9457)',
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/ProblemDetails' } } },
      },
    },
  };
}

const problemDetails: Json = {
  type: 'object',
  properties: {
    type: { type: 'string' },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string' },
    code: { type: 'string', enum: problemCodes },
    problems: {
      type: 'array',
      items: {
        type: 'object',
        properties: {
          code: { type: 'string', enum: problemCodes },
          message: { type: 'string' },
          where: { type: 'string', description: 'filter, edits[0].value, columns …' },
          span: { type: 'object', properties: { start: { type: 'integer' }, end: { type: 'integer' } } },
          suggestions: { type: 'array', items: { type: 'string' } },
        },
      },
    },
  },
};
