import { readdirSync, readFileSync } from 'node:fs';
import { join, relative } from 'node:path';

export const root = join(__dirname, '..');
export const packages = ['core', 'contract', 'client', 'service', 'cli', 'console', 'demo', 'bench'] as const;

/** Every file of our own code, by its path from the root. */
export function sources(of: readonly string[] = packages): string[] {
  const walk = (folder: string): string[] =>
    readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
      const path = join(folder, entry.name);
      return entry.isDirectory() ? walk(path) : /\.(ts|tsx)$/.test(entry.name) ? [relative(root, path)] : [];
    });
  return of.flatMap((name) => walk(join(root, 'packages', name, 'src')));
}

export function isTest(path: string): boolean {
  return /\.test\.tsx?$/.test(path) || path.includes('/testing/');
}

export function textOf(path: string): string {
  return readFileSync(join(root, path), 'utf8');
}

/** What a file imports of our own, as it is written. */
export function importsOf(path: string): string[] {
  return [...textOf(path).matchAll(/(?:from|import\() ?'([^']+)'/g)].map((m) => m[1]!);
}
