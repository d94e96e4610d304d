interface Operation {
  readonly summary: string;
  readonly parameters: {
    readonly name: string;
    readonly in: string;
    readonly description?: string;
    readonly schema?: object;
  }[];
  readonly requestBody?: object;
  readonly responses: Record<string, { readonly description: string; readonly content?: object }>;
}

/** The OpenAPI document as a page to read: every call, its parameters, and the shapes of requests. No script. */
export function referencePage(document: Record<string, unknown>): string {
  const paths = document.paths as Record<string, Record<string, Operation>>;
  const schemas = (document.components as { schemas: Record<string, object> }).schemas;
  const calls = Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, o]) => call(method, path, o)),
  );
  const shapes = Object.entries(schemas).map(
    ([name, schema]) =>
      `<section id="${text(name)}"><h3>${text(name)}</h3><pre>${text(JSON.stringify(schema, null, 2))}</pre></section>`,
  );
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Tantamos: HTTP reference</title><style>${style}</style></head><body><main>
<h1>HTTP reference</h1><p>The same as a file: <a href="/api/openapi.json">OpenAPI 3.1</a>. Errors are problem details (RFC 9457).</p>
<h2>Calls</h2>${calls.join('')}<h2>Shapes of requests</h2>${shapes.join('')}</main></body></html>`;
}

function call(method: string, path: string, o: Operation): string {
  const parameters = o.parameters.map(
    (p) =>
      `<tr><td><code>${text(p.name)}</code></td><td>${text(p.in)}</td><td>${text(p.description ?? shape(p.schema))}</td></tr>`,
  );
  const body = /schemas\/(\w+)/.exec(JSON.stringify(o.requestBody ?? ''))?.[1];
  const answers = Object.entries(o.responses).map(
    ([status, r]) =>
      `${text(status)} ${text(r.description)} <span>${text(Object.keys(r.content ?? {}).join(', '))}</span>`,
  );
  return `<section><h3><code>${method.toUpperCase()} ${text(path)}</code></h3><p>${text(o.summary)}${body ? ` — body: <a href="#${body}">${body}</a>` : ''}</p>
${parameters.length > 0 ? `<table><tbody>${parameters.join('')}</tbody></table>` : ''}<p class="answers">${answers.join('<br>')}</p></section>`;
}

function shape(schema: object | undefined): string {
  return schema ? JSON.stringify(schema) : '';
}

function text(raw: string): string {
  return raw.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);
}

const style = `body{font:14px/1.5 system-ui,sans-serif;background:#fbfaf7;color:#1f2430;margin:0}main{max-width:60rem;margin:0 auto;padding:2rem}
h1{font-size:24px}h3{font-size:14px;margin:0}section{border-top:1px solid #e4e0d8;padding:12px 0}p{margin:4px 0}a{color:#1e7f74}
table{border-collapse:collapse}td{padding:2px 16px 2px 0;vertical-align:top}pre{background:#fff;border:1px solid #e4e0d8;padding:8px;overflow:auto}
.answers{color:#6b7280}`;
