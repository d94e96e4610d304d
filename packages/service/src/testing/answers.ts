import Ajv2020 from 'ajv/dist/2020';
import addFormats from 'ajv-formats';
import { openApi, routes, type RouteName } from '@tantamos/contract';
import type { ValidateFunction } from 'ajv';

// Every answer that a test's client hears is held against the served document: what it does not describe fails the test.

const document = openApi('0.0.0') as { components: { schemas: object }; paths: Record<string, Record<string, object>> };
const ajv = addFormats(new Ajv2020({ strict: false, allErrors: true }));
ajv.addSchema({ $id: 'openapi', components: document.components });
const known = new Map<RouteName, ValidateFunction>();

export function heard(route: RouteName, answer: unknown): void {
  const validate = known.get(route) ?? ajv.compile(schemaOf(route));
  known.set(route, validate);
  if (validate(answer)) return;
  const wrong = (validate.errors ?? [])
    .slice(0, 5)
    .map((e) => `${e.instancePath} ${e.message} ${JSON.stringify(e.params)}`);
  throw new Error(`The answer of ${route} is not as the document says: ${wrong.join('; ')}`);
}

function schemaOf(name: RouteName): object {
  const { path, method, ...more } = routes[name];
  const status = 'status' in more ? more.status : 200;
  const operation = document.paths[path.replace(/:(\w+)/g, '{$1}')]![method] as {
    responses: Record<string, { content: Record<string, { schema: object }> }>;
  };
  const { schema } = operation.responses[status]!.content['application/json']!;
  return JSON.parse(JSON.stringify(schema).replaceAll('"#/', '"openapi#/')) as object;
}
