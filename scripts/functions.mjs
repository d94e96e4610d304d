// npm run functions: writes docs/reference/functions.md and edits.md from the functions and edits themselves.
import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { needBuild, needPackages, root } from './lib/packages.mjs';
import { main } from './lib/say.mjs';

await main(async () => {
  needPackages();
  needBuild();
  const { editsPage, functionsPage } = createRequire(import.meta.url)(join(root, 'packages/core/dist/index.js'));
  const folder = join(root, 'docs/reference');
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, 'functions.md'), functionsPage());
  writeFileSync(join(folder, 'edits.md'), editsPage());
  spawnSync(process.execPath, [join(root, 'node_modules/prettier/bin/prettier.cjs'), '--write', folder]);
});
