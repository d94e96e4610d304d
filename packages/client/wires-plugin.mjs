import { createRequire } from 'node:module';

/** For bundles: the routes as plain data, worked out when building. They do not carry what requests are checked with. */
export function wires() {
  const built = createRequire(import.meta.url)('./dist/wires.js');
  return {
    name: 'wires',
    enforce: 'pre',
    resolveId: (id, importer) => (id === './wires' && importer?.includes('/client/src/') ? '\0wires' : null),
    load: (id) => (id === '\0wires' ? `export const wires = ${JSON.stringify(built.wires)};` : null),
  };
}
