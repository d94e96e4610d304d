import tailwind from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

const source = (name: string): string => fileURLToPath(new URL(`../${name}/src/index.ts`, import.meta.url));

export default defineConfig({
  plugins: [react(), tailwind()],
  resolve: { alias: { '@tantamos/core': source('core'), '@tantamos/client': source('client') } },
  build: { chunkSizeWarningLimit: 900 },
});
