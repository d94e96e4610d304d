// npm run functions: writes docs/reference/functions.md from the functions themselves.
import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { needBuild, needPackages, root } from './lib/packages.mjs';
import { main } from './lib/say.mjs';

await main(async () => {
  needPackages();
  needBuild();
  const { functionsPage } = createRequire(import.meta.url)(join(root, 'packages/core/dist/index.js'));
  const file = join(root, 'docs/reference/functions.md');
  mkdirSync(join(root, 'docs/reference'), { recursive: true });
  writeFileSync(file, functionsPage());
  spawnSync(process.execPath, [join(root, 'node_modules/prettier/bin/prettier.cjs'), '--write', file]);
});
