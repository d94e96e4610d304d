import { Client } from 'pg';

/** What of node-postgres is not typed: the connection under a client, in replication mode. */
interface Wire {
  on(event: 'copyData', heard: (message: { readonly chunk: Buffer }) => void): void;
  sendCopyFromChunk(chunk: Buffer): void;
  query(text: string): void;
}

/** Microseconds between 1970 and 2000, where the protocol's clocks begin. */
const epoch = 946_684_800_000_000n;
const answersEvery = 100;

/**
 * A standby that receives what the server writes and applies none of it, by the streaming replication protocol (PostgreSQL,
 * “Streaming Replication Protocol”): it says again and again that it is where it began.
 */
export async function stuckStandby(url: string): Promise<{ end: () => Promise<void> }> {
  const client = new Client({ connectionString: url, replication: 'database', application_name: 'stuck' } as object);
  client.on('error', () => {});
  await client.connect();
  const { rows } = await client.query<{ xlogpos: string }>('IDENTIFY_SYSTEM');
  const at = rows[0]!.xlogpos;
  const wire = (client as unknown as { connection: Wire }).connection;
  wire.query(`START_REPLICATION PHYSICAL ${at}`);
  const [high, low] = at.split('/').map((part) => BigInt(`0x${part}`)) as [bigint, bigint];
  const timer = setInterval(() => wire.sendCopyFromChunk(standing((high << 32n) | low)), answersEvery);
  return {
    end: async () => {
      clearInterval(timer);
      await client.end();
    },
  };
}

/** Standby status update: written, flushed and applied up to the same place. */
function standing(place: bigint): Buffer {
  const message = Buffer.alloc(34);
  message.write('r', 0);
  for (const i of [0, 1, 2]) message.writeBigInt64BE(place, 1 + 8 * i);
  message.writeBigInt64BE(BigInt(Date.now()) * 1000n - epoch, 25);
  return message;
}
