import { execFileSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { packages, root } from './tree';

// What somebody new touches to add one thing of each kind. Each example below changes just the files that the table of the house
// says; that all of it compiles, and is there where a user would look, says that no other file need change.

interface Example {
  /** New files, by their path under packages/. */
  readonly files?: Readonly<Record<string, string>>;
  /** A line more in a list: what stands there, and what comes after it. */
  readonly lines?: readonly (readonly [path: string, after: string, line: string])[];
}

const examples: Readonly<Record<string, Example>> = {
  'a function of the language: one entry': {
    lines: [
      [
        'core/src/language/functions/text.ts',
        'export const textFunctions: readonly FunctionEntry[] = [',
        `oneText('WHISPER', 'The text in small letters, quietly.', 'WHISPER(note)', by('lower'), (t) => t.toLowerCase()),`,
      ],
    ],
  },
  'an edit kind: a file in core and one in the console, and a line in each index': {
    files: {
      'core/src/edits/shout.ts': `
        import type { EditKind } from './kind';
        import { fieldName } from './member';
        import { editableField, fieldWords } from './value';
        export interface ShoutEdit { readonly kind: 'shout'; readonly field: string }
        export const shout: EditKind<ShoutEdit> = {
          members: { field: fieldName },
          doc: 'Loudly.',
          example: { kind: 'shout', field: 'note' },
          words: ['yell'],
          lower(edit, { type }) {
            const field = editableField(type, edit.field);
            return [{ field, value: { from: 'expression', tree: { kind: 'value', dbType: 'text', text: '!' } }, when: null }];
          },
          sentence: (edit, { type }) => \`shout \${fieldWords(type, edit.field).label}\`,
        };`,
      'console/src/job/edits/shout.tsx': `
        import type { EditForm } from './form';
        export const shout: EditForm<'shout'> = {
          action: 'Shout',
          fits: () => true,
          complete: ({ field }) => (field !== undefined ? { kind: 'shout', field } : null),
          Form: () => <p>loudly</p>,
        };`,
    },
    lines: [
      [
        'core/src/edits/edit.ts',
        "import { set, type SetEdit } from './set';",
        "import { shout, type ShoutEdit } from './shout';",
      ],
      ['core/src/edits/edit.ts', 'type AnyEdit =', '| ShoutEdit'],
      [
        'core/src/edits/edit.ts',
        "const kinds: { [K in Edit['kind']]: EditKind<Extract<AnyEdit, { kind: K }>> } = {",
        'shout,',
      ],
      ['console/src/job/edits/index.ts', "import { set } from './set';", "import { shout } from './shout';"],
      ['console/src/job/edits/index.ts', "const forms: { [K in Edit['kind']]: EditForm<K> } = {", 'shout,'],
    ],
  },
  'a resource: its noun in the contract and in the service, and a line in the list of each': {
    files: {
      'contract/src/bells.ts': `
        import { Type } from '@sinclair/typebox';
        import { IsInt, Max, Min } from 'class-validator';
        import { routesOf } from './route';
        import { count, named, type Answer } from './shape';
        export class BellBody { @IsInt() @Min(1) @Max(12) times!: number }
        export const BellView = named('BellView', { rung: count });
        export type BellView = Answer<typeof BellView>;
        export const bellRoutes = routesOf({
          bells: { method: 'get', path: '/api/bells', summary: 'All bells', answer: Type.Array(BellView) },
          ringBell: { method: 'post', path: '/api/bells/:id', summary: 'Ring one', answer: BellView, body: BellBody },
        });`,
      'service/src/bells/http.ts': `
        import type { bellRoutes } from '@tantamos/contract';
        import type { Handlers } from '../http/handler';
        export const bellHandlers: Handlers<typeof bellRoutes> = {
          bells: async () => [{ rung: 1 }],
          ringBell: async ({ seen, body }) => (seen.must('administer'), { rung: body.times }),
        };`,
    },
    lines: [
      [
        'contract/src/routes.ts',
        "import { accountRoutes } from './accounts';",
        "import { bellRoutes } from './bells';",
      ],
      ['contract/src/routes.ts', 'export const routes = {', '...bellRoutes,'],
      ['contract/src/index.ts', "export * from './accounts';", "export * from './bells';"],
      [
        'service/src/http/handlers.ts',
        "import { accountHandlers } from '../accounts/http';",
        "import { bellHandlers } from '../bells/http';",
      ],
      ['service/src/http/handlers.ts', 'export const handlers: Handlers<Routes> = {', '...bellHandlers,'],
    ],
  },
  'a verb of the command line: a file, its line in the list and its two examples': {
    files: {
      'cli/src/verbs/ring.ts': `
        import { out } from '../output';
        import { client } from '../session';
        import { acting, type Verb } from './verb';
        export const ring: Verb = (program) => {
          program.command('ring').argument('<bell>').action(acting(async (bell: string) => {
            const { rung } = await client().ringBell(bell, { times: 3 });
            out(String(rung));
          }));
        };`,
    },
    lines: [
      ['cli/src/program.ts', "import { record } from './verbs/record';", "import { ring } from './verbs/ring';"],
      ['cli/src/program.ts', "['Help:', [", 'ring,'],
      [
        'cli/src/examples.ts',
        'export const examples: Readonly<Record<string, readonly [string, string]>> = {',
        "ring: ['tantamos ring noon', 'tantamos ring dusk'],",
      ],
    ],
  },
  'a page of the console: a file and its line in the list': {
    files: {
      'console/src/bells/BellsPage.tsx': `
        import { useQuery } from '@tanstack/react-query';
        import { queries } from '../queries';
        export function BellsPage() { return <main>{useQuery(queries.bells()).data?.length}</main>; }`,
    },
    lines: [
      [
        'console/src/app/App.tsx',
        "      { path: 'jobs', lazy: page(() => import('../jobs/JobsPage'), 'JobsPage') },",
        "{ path: 'bells', lazy: page(() => import('../bells/BellsPage'), 'BellsPage') },",
      ],
      [
        'console/src/queries.ts',
        'export const queries = {',
        "bells: () => queryOptions({ queryKey: ['bells'], queryFn: () => api.bells() }),",
      ],
    ],
  },
  'an outcome of a run: its row in the table': {
    lines: [
      [
        'core/src/job/outcome.ts',
        'const table = {',
        "asleep: { letter: 's', words: 'asleep', tone: 'held', attention: 'sleep.', retry: true, isTrouble: true, verdict: null },",
      ],
    ],
  },
  'a kind of field: a file in core and its line, and one in the console': {
    files: {
      'core/src/catalog/kinds/address.ts': `
        import { textColumn } from '../../language/term';
        import { editable, type Kind } from './kind';
        export const address: Kind = {
          stored: ['inet'], words: 'a network address', valueType: 'text', compares: 'order', inKey: true, literal: 'text',
          cell: 'text', hasRanges: false, whyNotEditable: editable,
          canonical: ({ trimmed, what, bad }) => (/^[0-9a-f.:/]+$/.test(trimmed) ? trimmed : bad(\`\${what} is an address.\`)),
          term: (column, _, ground) => textColumn(column, ground, 43),
          inList: null,
        };`,
    },
    lines: [
      ['core/src/catalog/kinds/index.ts', "import { date } from './date';", "import { address } from './address';"],
      ['core/src/catalog/kinds/index.ts', 'const all = {', 'address,'],
      [
        'console/src/components/kinds.ts',
        'const looks: Readonly<Record<Base, Look>> = {',
        "address: { cell, input: text, filter: { comparing: 'texts', literal: 'text' } },",
      ],
    ],
  },
};

/** Of each kind, the files that it may touch: what the table of the house says. */
const mayTouch: Readonly<Record<string, number>> = {
  'a function of the language: one entry': 1,
  'an edit kind: a file in core and one in the console, and a line in each index': 4,
  'a resource: its noun in the contract and in the service, and a line in the list of each': 5,
  'a verb of the command line: a file, its line in the list and its two examples': 3,
  'a page of the console: a file and its line in the list': 3,
  'an outcome of a run: its row in the table': 1,
  'a kind of field: a file in core and its line, and one in the console': 3,
};

describe('somebody new adds one of each', () => {
  const house = mkdtempSync(join(tmpdir(), 'tantamos-house-'));
  const at = (path: string): string => join(house, 'packages', path);
  /** What the compiler says is wrong; empty when nothing is. */
  const compiled = (config: object, emit = false): string => {
    writeFileSync(join(house, 'tsconfig.json'), JSON.stringify(config));
    try {
      execFileSync(
        process.execPath,
        [join(root, 'node_modules/typescript/bin/tsc'), '-p', house, ...(emit ? [] : ['--noEmit'])],
        { encoding: 'utf8', cwd: house },
      );
      return '';
    } catch (error) {
      return (error as { stdout: string }).stdout;
    }
  };
  const options = {
    target: 'es2022',
    strict: true,
    noUncheckedIndexedAccess: true,
    noUnusedLocals: true,
    experimentalDecorators: true,
    useDefineForClassFields: false,
    emitDecoratorMetadata: true,
    esModuleInterop: true,
    skipLibCheck: true,
    jsx: 'react-jsx',
  };
  const paths = { '@tantamos/*': ['./packages/*/src'] };
  const everything = {
    compilerOptions: {
      ...options,
      module: 'preserve',
      moduleResolution: 'bundler',
      lib: ['es2023', 'es2024.string', 'dom', 'dom.iterable'],
      types: ['node', 'vite/client'],
      paths,
      // What one compilation found out about files, the next need not.
      incremental: true,
      tsBuildInfoFile: 'known.json',
    },
    include: ['packages/*/src'],
    exclude: ['**/*.test.ts', '**/testing'],
  };

  beforeAll(() => {
    for (const name of packages) {
      cpSync(join(root, 'packages', name, 'src'), at(`${name}/src`), { recursive: true });
      // Packages of one package alone.
      const inner = join(root, 'packages', name, 'node_modules');
      if (existsSync(inner)) symlinkSync(inner, at(`${name}/node_modules`));
    }
    symlinkSync(join(root, 'node_modules'), join(house, 'node_modules'));
    for (const { files = {}, lines = [] } of Object.values(examples)) {
      for (const [path, text] of Object.entries(files)) {
        mkdirSync(dirname(at(path)), { recursive: true });
        writeFileSync(at(path), text);
      }
      for (const [path, after, line] of lines) {
        const text = readFileSync(at(path), 'utf8');
        if (!text.includes(after)) throw new Error(`${path} has no list that begins: ${after}`);
        writeFileSync(at(path), text.replace(after, `${after} ${line}`));
      }
    }
  });
  afterAll(() => rmSync(house, { recursive: true, force: true }));

  it.each(Object.entries(examples))('%s', (name, { files = {}, lines = [] }) => {
    const touched = new Set([...Object.keys(files), ...lines.map(([path]) => path)]);
    expect(touched.size).toBe(mayTouch[name]);
  });

  it('and nothing else has to change: all of it compiles', () => {
    expect(compiled(everything)).toBe('');
  });

  it('what is forgotten does not compile: a handler, a form, a look', () => {
    const forgotten = [
      ['service/src/http/handlers.ts', '...bellHandlers,', /handlers\.ts.*bells/],
      ['console/src/job/edits/index.ts', 'shout,', /job\/edits\/index\.ts.*shout/],
      ['console/src/components/kinds.ts', 'address: {', /kinds\.ts.*address/],
    ] as const;
    const before = forgotten.map(([path]) => readFileSync(at(path), 'utf8'));
    forgotten.forEach(([path, line], i) => {
      const rest = before[i]!.slice(before[i]!.indexOf(line));
      const end = line.endsWith('{')
        ? rest.indexOf('},') + rest.slice(rest.indexOf('},')).indexOf('} },') + 4
        : line.length;
      writeFileSync(at(path), before[i]!.replace(rest.slice(0, Math.max(end, line.length)), ''));
    });
    const wrong = compiled(everything);
    forgotten.forEach(([path], i) => writeFileSync(at(path), before[i]!));
    for (const [, , told] of forgotten) expect(wrong).toMatch(told);
  });

  it('and each is there where a user would look', () => {
    const out = join(house, 'out');
    const built = {
      compilerOptions: {
        ...options,
        module: 'commonjs',
        moduleResolution: 'node10',
        ignoreDeprecations: '6.0',
        lib: ['es2023', 'es2024.string', 'dom', 'dom.iterable'],
        types: ['node'],
        paths,
        rootDir: '.',
        outDir: 'out',
        // That it compiles has been seen above.
        noCheck: true,
      },
      include: ['core', 'contract', 'client', 'cli', 'service', 'demo'].map((name) => `packages/${name}/src`),
      exclude: ['**/*.test.ts', '**/testing'],
    };
    expect(compiled(built, true)).toBe('');
    // Packages by their names, as they have just been made.
    mkdirSync(join(out, 'node_modules/@tantamos'), { recursive: true });
    for (const name of ['core', 'contract', 'client', 'service', 'demo'])
      symlinkSync(join(out, 'packages', name, 'src'), join(out, 'node_modules/@tantamos', name));
    const asked = `
      const core = require('@tantamos/core'), contract = require('@tantamos/contract');
      const { Client } = require('@tantamos/client');
      const { handlers } = require('./packages/service/src/http/handlers');
      const document = contract.openApi('1');
      console.log(JSON.stringify({
        function: core.functions.some((f) => f.name === 'WHISPER'),
        edit: core.editKinds.includes('shout') && 'ShoutEdit' in document.components.schemas,
        route: '/api/bells/{id}' in document.paths && 'BellView' in document.components.schemas,
        client: typeof new Client({ base: '' }).ringBell,
        handler: typeof handlers.bells,
        outcome: core.equation({ ...core.noTotals, matched: 1, asleep: 1 }, []),
        kind: core.baseStoredAs('inet'),
      }));`;
    writeFileSync(join(out, 'asked.js'), asked);
    const node = (...args: string[]): string => execFileSync(process.execPath, args, { encoding: 'utf8', cwd: out });
    expect(JSON.parse(node('asked.js'))).toEqual({
      function: true,
      edit: true,
      route: true,
      client: 'function',
      handler: 'function',
      outcome: '1 matched = 1 asleep',
      kind: 'address',
    });
    expect(node('packages/cli/src/main.js', '--help')).toContain('ring [options] <bell>');
  });
});
