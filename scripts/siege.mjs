// npm run siege -- --seconds 60: hostile requests one by one and all at once, and how long an ordinary person waits meanwhile.
import { main } from './lib/say.mjs';
import { runOnTemporaryCluster } from './lib/temporary-cluster.mjs';

await main(() => runOnTemporaryCluster('siege', 'siege/main.js', { throwaway: true }));
