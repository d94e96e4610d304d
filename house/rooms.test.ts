import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, normalize } from 'node:path';
import { importsOf, isTest, root, sources, textOf } from './tree';

const own = sources().filter((path) => !isTest(path));

describe('rooms', () => {
  it.each(['core', 'contract', 'client', 'service', 'cli', 'console'])('no circles between files: %s', (name) => {
    const entries = sources([name]).filter((path) => !isTest(path) && !path.endsWith('.d.ts'));
    const report = join(mkdtempSync(join(tmpdir(), 'tantamos-circles-')), 'report.json');
    // Types count too: two files that need each other’s types are one idea in two places.
    const tool = join(root, 'node_modules/dpdm/lib/bin/dpdm.js');
    execFileSync(process.execPath, [tool, '--no-tree', '--no-warning', '--no-progress', '-o', report, ...entries], {
      cwd: root,
      stdio: 'ignore',
    });
    const { circulars, tree } = JSON.parse(readFileSync(report, 'utf8')) as { circulars: string[][]; tree: object };
    rmSync(dirname(report), { recursive: true });
    expect(Object.keys(tree).length).toBeGreaterThanOrEqual(entries.length);
    const circles = circulars.filter((circle) => circle.every((f) => f.includes(`packages/${name}/src`)));
    expect(circles).toEqual([]);
  });

  it('in the service only what speaks HTTP knows HTTP: each noun by its own http.ts', () => {
    const speaks = /\/(http\/[\w-]+|http|main|index)\.ts$/;
    const wrong = own
      .filter((path) => path.startsWith('packages/service/src/') && !speaks.test(path))
      .flatMap((path) => importsOf(path).map((to) => ({ path, to: normalize(join(dirname(path), to)) })))
      .filter(({ to }) => /service\/src\/(http\/|.*\/http$)/.test(to));
    expect(wrong).toEqual([]);
    const express = own.filter((path) => importsOf(path).includes('express') && !path.includes('/http'));
    // A file is streamed into the response.
    expect(express).toEqual(['packages/service/src/journal/file.ts']);
  });

  it('what is answered is made from what the person sees: the whole catalog is for settings alone', () => {
    const askers = own.filter((path) => /service\/src\/.*http\.ts$/.test(path) && /catalogs\.get\(/.test(textOf(path)));
    expect(askers).toEqual(['packages/service/src/rights/http.ts', 'packages/service/src/types/http.ts']);
  });

  it('the console reads through its one list of queries', () => {
    const console = own.filter((path) => path.startsWith('packages/console/src/') && !path.endsWith('/queries.ts'));
    expect(console.filter((path) => /queryFn|queryKey: \['(?!may|first-draft)/.test(textOf(path)))).toEqual(
      [
        // What a window opens with is made of several answers.
        'packages/console/src/job/DraftKeeper.tsx',
        // Follows whatever it is given.
        'packages/console/src/app/useWatched.ts',
      ].sort((a, b) => console.indexOf(a) - console.indexOf(b)),
    );
    // What attacks the service speaks to it as a stranger would.
    const peaceful = own.filter((path) => !path.startsWith('packages/bench/'));
    expect(peaceful.filter((path) => /\bfetch\(/.test(textOf(path)))).toEqual(['packages/client/src/client.ts']);
  });

  it('names say what is in a file', () => {
    const vague = /\/(utils?|helpers?|common|misc|manager|shared)[./]/;
    expect(sources().filter((path) => vague.test(path))).toEqual([]);
  });

  it('nothing waits for a time where it could wait for a thing, and no test passes whatever happens', () => {
    const tests = sources().filter((path) => /\.test\.ts$/.test(path));
    const idle = tests.filter((path) => /waitForTimeout\(/.test(textOf(path)));
    expect(idle).toEqual([]);
    const empty = /toBeGreaterThanOrEqual\(0\)|expect\(true\)|\.length >= 0/;
    expect(tests.filter((path) => empty.test(textOf(path)))).toEqual([]);
    expect(tests.filter((path) => /\b(it|describe|test)\.(only|skip)\b/.test(textOf(path)))).toEqual([]);
  });

  it('tests are a quarter of the code, or more', () => {
    const lines = (paths: readonly string[]): number =>
      paths.reduce((sum, path) => sum + textOf(path).split('\n').length - 1, 0);
    const all = sources();
    const house = readdirSync(join(root, 'house')).map((name) => `house/${name}`);
    const share = lines([...all.filter(isTest), ...house]) / lines([...all, ...house]);
    expect(share).toBeGreaterThanOrEqual(0.25);
  });
});
