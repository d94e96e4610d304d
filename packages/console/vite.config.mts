import tailwind from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { brotliCompressSync, gzipSync } from 'node:zlib';
import { defineConfig, type Plugin } from 'vite';
import { wires } from '../client/wires-plugin.mjs';

const source = (name: string): string => fileURLToPath(new URL(`../${name}/src/index.ts`, import.meta.url));

/** Functions of the language without what they are in SQL: no page works anything out in a database. */
function withoutSql(): Plugin {
  return {
    name: 'without-sql',
    enforce: 'post',
    transform(code, id) {
      if (!id.includes('/core/src/language/functions/')) return null;
      const spans: [number, number][] = [];
      const visit = (node: unknown): void => {
        if (Array.isArray(node)) return node.forEach(visit);
        if (typeof node !== 'object' || node === null) return;
        const { type, key, computed, start, end } = node as Record<string, never> & { start: number; end: number };
        if (type === 'Property' && !computed && (key as { name?: string }).name === 'sql') spans.push([start, end]);
        else Object.values(node).forEach(visit);
      };
      visit(this.parse(code));
      const kept = spans.reduceRight((text, [from, to]) => `${text.slice(0, from)}sql: null${text.slice(to)}`, code);
      return { code: kept, map: null };
    },
  };
}

/** Beside each script, style and page, the same compressed: the service sends what the browser takes. */
function compressed(): Plugin {
  return {
    name: 'compressed',
    writeBundle({ dir }, bundle) {
      for (const name of Object.keys(bundle)) {
        if (!/\.(js|css|html|svg)$/.test(name)) continue;
        const bytes = readFileSync(join(dir!, name));
        writeFileSync(join(dir!, `${name}.br`), brotliCompressSync(bytes));
        writeFileSync(join(dir!, `${name}.gz`), gzipSync(bytes, { level: 9 }));
      }
    },
  };
}

export default defineConfig({
  plugins: [wires(), withoutSql(), react(), tailwind(), compressed()],
  resolve: { alias: { '@tantamos/core': source('core'), '@tantamos/client': source('client') } },
  build: { chunkSizeWarningLimit: 900 },
});
