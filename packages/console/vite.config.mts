import tailwind from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { brotliCompressSync, gzipSync } from 'node:zlib';
import { defineConfig, type Plugin } from 'vite';

const source = (name: string): string => fileURLToPath(new URL(`../${name}/src/index.ts`, import.meta.url));

/** The routes as plain data, worked out here: the page does not carry the classes that requests are checked with. */
function wires(): Plugin {
  const built = createRequire(import.meta.url)('../client/dist/wires.js') as { wires: object };
  return {
    name: 'wires',
    enforce: 'pre',
    resolveId: (id, importer) => (id === './wires' && importer?.includes('/client/src/') ? '\0wires' : null),
    load: (id) => (id === '\0wires' ? `export const wires = ${JSON.stringify(built.wires)};` : null),
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
  plugins: [wires(), react(), tailwind(), compressed()],
  resolve: { alias: { '@tantamos/core': source('core'), '@tantamos/client': source('client') } },
  build: { chunkSizeWarningLimit: 900 },
});
