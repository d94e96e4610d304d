import { execFile, execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { routes, type Route } from '@tantamos/contract';
import Ajv2020 from 'ajv/dist/2020';
import addFormats from 'ajv-formats';
import { openWorkspace, type Workspace } from '../testing/workspace';

// What somebody else's program makes of the served document: a client that compiles, and does the job of the guide.

const root = join(__dirname, '..', '..', '..', '..');

interface Document {
  readonly openapi: string;
  readonly paths: Record<string, Record<string, Operation>>;
  readonly components: { readonly schemas: Record<string, object> };
}
interface Operation {
  readonly operationId: string;
  readonly requestBody?: { readonly content: Record<string, { readonly schema: { readonly $ref: string } }> };
  readonly responses: Record<string, { readonly content?: Record<string, { readonly schema?: object }> }>;
}

/** As a person of another firm would write it, from the README's job. */
const program = `
import { client } from './gen/client.gen';
import * as api from './gen';

async function main(base: string): Promise<void> {
  client.setConfig({ baseUrl: base, throwOnError: true });
  const throwOnError = true as const;
  const entered = await api.signIn({ body: { login: 'sorrel', password: 'meadow-admin', kind: 'token' }, throwOnError });
  client.setConfig({ baseUrl: base, headers: { Authorization: 'Bearer ' + entered.data.token! }, throwOnError: true });
  const filter = "status = 'draft' AND valley = 'north' AND owner = 'Ines Calloway'";
  const found = await api.search({ path: { type: 'bookings' }, body: { filter, count: 'exact', limit: 1 }, throwOnError });
  const made = await api.makePreview({
    body: {
      selection: { type: 'bookings', filter },
      edits: [
        { kind: 'set', field: 'status', value: 'confirmed' },
        { kind: 'fill', field: 'region', value: 'Northern Hills' },
      ],
      safety: { askAfter: 5, atMost: null, pace: 100 },
      why: 'Spring round',
    },
    headers: { 'Idempotency-Key': 'once' },
    throwOnError,
  });
  let preview = made.data;
  while (preview.state === 'working') preview = (await api.preview({ path: { id: preview.id }, throwOnError })).data;
  const will: number = preview.totals.will_change;
  let run = (await api.startRun({ body: { preview: preview.id, expect: will }, throwOnError })).data;
  const rested = async (): Promise<void> => {
    const moving = ['queued', 'running', 'pausing', 'stopping'];
    while (moving.includes(run.state)) run = (await api.run({ path: { id: run.id }, throwOnError })).data;
  };
  await rested();
  const first = run.totals.changed;
  run = (await api.continueRun({ path: { id: run.id }, throwOnError })).data;
  await rested();
  const page = (await api.runRecords({ path: { id: run.id }, query: { outcome: 'not_allowed' }, throwOnError })).data;
  let back = (await api.undoRun({ path: { id: run.id }, body: {}, throwOnError })).data;
  while (back.state === 'working') back = (await api.preview({ path: { id: back.id }, throwOnError })).data;
  run = (await api.startRun({ body: { preview: back.id, expect: back.totals.will_change }, throwOnError })).data;
  await rested();
  const causes = page.records.map((r) => r.cause);
  console.log(JSON.stringify([found.data.numberMatched, will, first, causes.length, causes[0], run.totals.changed, run.state]));
}
main(process.argv[2]!).catch((error: unknown) => {
  console.error(error);
  process.exit(1);
});
`;

describe('the served document', () => {
  let w: Workspace;
  let document: Document;
  beforeAll(async () => {
    w = await openWorkspace();
    const response = await fetch(`${w.base}/api/openapi.json`, {
      headers: { Authorization: `Bearer ${w.adminToken}` },
    });
    document = (await response.json()) as Document;
  });
  afterAll(() => w.close());

  it('describes every route, with what it takes and every answer by a schema', () => {
    expect(document.openapi).toBe('3.1.0');
    const operations = Object.values(document.paths).flatMap((methods) => Object.values(methods));
    expect(operations.map((o) => o.operationId).sort()).toEqual(Object.keys(routes).sort());
    for (const operation of operations) {
      const route: Route = routes[operation.operationId as keyof typeof routes];
      const { content = {} } = operation.responses[route.status ?? 200]!;
      for (const [media, { schema }] of Object.entries(content))
        expect([operation.operationId, media, schema]).not.toContain(undefined);
      expect(Object.keys(content).length > 0).toBe(route.answer !== null || route.files !== undefined);
      expect(operation.requestBody !== undefined).toBe(route.body !== undefined || route.takes !== undefined);
    }
  });

  it('points only at what is in it, and each of its schemas is one', () => {
    const ajv = addFormats(new Ajv2020({ strict: false }));
    ajv.addSchema({ $id: 'doc', components: document.components });
    for (const name of Object.keys(document.components.schemas))
      expect(() => ajv.compile({ $ref: `doc#/components/schemas/${name}` })).not.toThrow();
  });

  it('says of an edit what each kind holds, and of what may be null that it may', () => {
    const ajv = addFormats(new Ajv2020({ strict: false }));
    const components = JSON.parse(JSON.stringify(document.components).replaceAll('"#/', '"doc#/')) as object;
    ajv.addSchema({ $id: 'doc', components });
    const takes = ajv.compile({ $ref: 'doc#/components/schemas/JobBody' });
    const job = (edit: object, safety: object = {}) => ({ selection: { type: 'bookings' }, edits: [edit], safety });
    expect(takes(job({ kind: 'set', field: 'note', value: '' }))).toBe(true);
    expect(takes(job({ kind: 'clear', field: 'note' }, { askAfter: null, atMost: null }))).toBe(true);
    expect(takes(job({ kind: 'put', field: 'note', values: { 1: 'x' } }))).toBe(true);
    for (const edit of [
      { kind: 'set', field: 'note' },
      { kind: 'clear', field: 'note', value: 'x' },
      { kind: 'clear' },
      { kind: 'jump', field: 'note' },
    ])
      expect([edit, takes(job(edit))]).toEqual([edit, false]);
    expect(takes({ ...job({ kind: 'clear', field: 'note' }), sql: 'x' })).toBe(false);
  });

  it('lets a generator make a client that compiles and does the job of the guide', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'tantamos-client-'));
    // What it prints when it fails is what is wrong.
    const node = (...args: string[]): string =>
      execFileSync(process.execPath, args, { cwd: folder, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] });
    try {
      symlinkSync(join(root, 'node_modules'), join(folder, 'node_modules'));
      writeFileSync(join(folder, 'api.json'), JSON.stringify(document));
      writeFileSync(join(folder, 'job.ts'), program);
      const compilerOptions = {
        target: 'es2022',
        module: 'commonjs',
        moduleResolution: 'node10',
        ignoreDeprecations: '6.0',
        strict: true,
        skipLibCheck: true,
        lib: ['es2023', 'dom', 'dom.iterable'],
        types: ['node'],
        outDir: 'out',
      };
      writeFileSync(join(folder, 'tsconfig.json'), JSON.stringify({ compilerOptions, files: ['job.ts'] }));
      node(
        join(root, 'node_modules/@hey-api/openapi-ts/bin/run.js'),
        '-i',
        'api.json',
        '-o',
        'gen',
        '-c',
        '@hey-api/client-fetch',
        '--no-log-file',
      );
      const sdk = readFileSync(join(folder, 'gen/sdk.gen.ts'), 'utf8');
      expect(sdk.match(/^export const /gm)).toHaveLength(Object.keys(routes).length);
      node(join(root, 'node_modules/typescript/bin/tsc'), '-p', '.');
      // Apart from this process, which is the service.
      const { stdout } = await promisify(execFile)(process.execPath, [join(folder, 'out/job.js'), w.base]);
      expect(JSON.parse(stdout)).toEqual([200, 191, 5, 9, 'A confirmed booking needs a site.', 191, 'finished']);
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });
});
