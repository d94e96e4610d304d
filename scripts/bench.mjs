// npm run bench -- --rows 1000000 [--json]: the figures of the guide, measured on this machine in one run.
import { main } from './lib/say.mjs';
import { runOnTemporaryCluster } from './lib/temporary-cluster.mjs';

// With durable commits.
await main(() => runOnTemporaryCluster('bench', 'main.js'));
