// npm run fuzz -- --requests 100000 --seed 1: valid, nearly valid and hostile requests from our own document, every answer held against it.
import { main } from './lib/say.mjs';
import { runOnTemporaryCluster } from './lib/temporary-cluster.mjs';

await main(() => runOnTemporaryCluster('fuzz', 'fuzz/main.js', { throwaway: true }));
