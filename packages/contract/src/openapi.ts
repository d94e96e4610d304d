import { defaultMetadataStorage } from 'class-transformer/cjs/storage';
import { validationMetadatasToSchemas } from 'class-validator-jsonschema';
import { AnyEdit } from './edits';
import { ProblemDetails } from './problem';
import type { Route } from './route';
import { routes } from './routes';

type Json = Record<string, unknown>;

/** The OpenAPI 3.1 document, made from the routes, the classes their requests are checked with and the shapes of answers. */
export function openApi(version: string): Json {
  const schemas = validationMetadatasToSchemas({
    classTransformerMetadataStorage: defaultMetadataStorage as never,
    refPointerPrefix: '#/components/schemas/',
  }) as Record<string, Json>;
  // Of no kind there is: refused, so described nowhere.
  Reflect.deleteProperty(schemas, AnyEdit.name);
  const inQuery = new Set(Object.values(routes as Readonly<Record<string, Route>>).map((r) => r.query?.name));
  for (const [name, schema] of Object.entries(schemas)) {
    // What a class does not name is refused; what may be left out may be null, too.
    schema.additionalProperties = false;
    if (!inQuery.has(name)) withNull(schema);
  }
  const components = new Components(schemas);
  const problem = components.take(ProblemDetails);
  const paths: Record<string, Json> = {};
  for (const [name, route] of Object.entries(routes) as [string, Route][]) {
    const path = route.path.replace(/:(\w+)/g, '{$1}');
    (paths[path] ??= {})[route.method] = operation(name, route, components, problem);
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
      schemas: components.schemas,
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        cookie: { type: 'apiKey', in: 'cookie', name: 'tantamos_session' },
      },
    },
  };
}

/** What `IsOptional` takes: what may be left out may also be null. */
function withNull(schema: Json): void {
  const properties = (schema.properties ?? {}) as Record<string, Json>;
  const required = (schema.required ?? []) as string[];
  for (const [name, said] of Object.entries(properties)) {
    if (required.includes(name)) continue;
    properties[name] = { anyOf: [said, { type: 'null' }] };
  }
}

/** Shapes with a name of their own stand once, under it, and are pointed at from elsewhere. */
class Components {
  constructor(readonly schemas: Record<string, Json>) {}

  /** The schema as it stands in the document. */
  take(schema: object): Json {
    const { $id, ...rest } = schema as { $id?: string };
    if ($id === undefined) return this.inner(rest);
    if (!this.schemas[$id]) {
      this.schemas[$id] = {};
      this.schemas[$id] = this.inner(rest);
    }
    return { $ref: `#/components/schemas/${$id}` };
  }

  private inner(part: object): Json {
    return Object.fromEntries(Object.entries(part).map(([key, value]) => [key, this.part(value)]));
  }

  private part(value: unknown): unknown {
    if (Array.isArray(value)) return value.map((v) => this.part(v));
    return typeof value === 'object' && value !== null ? this.take(value) : value;
  }
}

function operation(name: string, route: Route, components: Components, problem: Json): Json {
  const inPath = [...route.path.matchAll(/:(\w+)/g)].map((m) => ({
    name: m[1]!,
    in: 'path',
    required: true,
    schema: { type: 'string' },
  }));
  const query = route.query ? ((components.schemas[route.query.name]?.properties ?? {}) as Json) : {};
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
    ...(route.takes
      ? {
          requestBody: {
            required: true,
            content: Object.fromEntries(
              route.takes.map((media) => [media, { schema: { type: 'string', format: 'binary' } }]),
            ),
          },
        }
      : {}),
    responses: {
      [route.status ?? 200]: answerOf(route, components),
      default: {
        description: 'What was wrong (RFC 9457)',
        content: { 'application/problem+json': { schema: problem } },
      },
    },
  };
}

function answerOf({ answer, files = [], events }: Route, components: Components): Json {
  const schema = answer && components.take(answer);
  const file = { schema: { type: 'string' } };
  const content = {
    ...(schema ? { [events ? 'text/event-stream' : 'application/json']: { schema } } : {}),
    ...Object.fromEntries(files.map((media) => [media, media === 'application/json' ? { schema: {} } : file])),
  };
  if (Object.keys(content).length === 0) return { description: 'Done' };
  return { description: events ? 'An event “state” with each new state' : 'The answer', content };
}
