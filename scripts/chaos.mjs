// npm run chaos -- --minutes 1: runs among kills, crashes, cut connections and people at work, held against an audit.
import { main } from './lib/say.mjs';
import { runOnTemporaryCluster } from './lib/temporary-cluster.mjs';

// Its cluster is crashed on purpose; with durable commits, since what they promise is tested.
await main(() => runOnTemporaryCluster('chaos', 'chaos/main.js'));
