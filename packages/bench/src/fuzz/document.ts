import Ajv2020 from 'ajv/dist/2020';
import addFormats from 'ajv-formats';
import type { ValidateFunction } from 'ajv';
import type { Json } from './generate';

export interface Operation {
  readonly id: string;
  readonly method: string;
  readonly path: string;
  readonly parameters: readonly { readonly name: string; readonly in: string; readonly schema: Json }[];
  readonly body: Json | null;
  readonly isStream: boolean;
  /** By status; `default` is a problem. */
  readonly answers: Readonly<Record<string, Readonly<Record<string, { readonly schema: Json }>>>>;
}

/** The served OpenAPI document: what can be asked, and whether an answer is as it says. */
export class Document {
  readonly operations: readonly Operation[];
  readonly schemas: Readonly<Record<string, Json>>;
  private readonly ajv = addFormats(new Ajv2020({ strict: false }));
  private readonly checks = new Map<string, ValidateFunction>();

  constructor(document: Json) {
    const { paths, components } = document as {
      paths: Record<string, Record<string, Json>>;
      components: { schemas: Record<string, Json> };
    };
    this.schemas = components.schemas;
    this.ajv.addSchema({ $id: 'openapi', components });
    this.operations = Object.entries(paths).flatMap(([path, methods]) =>
      Object.entries(methods).map(([method, said]) => operationOf(path, method, said)),
    );
  }

  /** What is wrong with an answer of JSON; null where nothing is. */
  wrong(operation: Operation, status: number, media: string, answer: unknown): string | null {
    const described = operation.answers[status >= 400 ? 'default' : String(status)];
    if (!described) return `status ${status} is described nowhere`;
    const schema = described[media]?.schema;
    if (!schema) return `${media || 'nothing'} is no answer it describes`;
    const key = `${operation.id} ${status >= 400 ? 'default' : status} ${media}`;
    const check =
      this.checks.get(key) ??
      this.ajv.compile(JSON.parse(JSON.stringify(schema).replaceAll('"#/', '"openapi#/')) as object);
    this.checks.set(key, check);
    if (check(answer)) return null;
    const [first] = check.errors ?? [];
    return `${first?.instancePath} ${first?.message} ${JSON.stringify(first?.params)}`;
  }
}

function operationOf(path: string, method: string, said: Json): Operation {
  const { operationId, parameters, requestBody, responses } = said as {
    operationId: string;
    parameters?: Operation['parameters'];
    requestBody?: { content: Record<string, { schema: Json }> };
    responses: Record<string, { content?: Record<string, { schema: Json }> }>;
  };
  const answers = Object.fromEntries(Object.entries(responses).map(([status, r]) => [status, r.content ?? {}]));
  return {
    id: operationId,
    method: method.toUpperCase(),
    path,
    parameters: parameters ?? [],
    body: requestBody?.content['application/json']?.schema ?? null,
    isStream: Object.values(answers).some((a) => 'text/event-stream' in a),
    answers,
  };
}
