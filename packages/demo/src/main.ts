import { Client } from 'pg';
import { isEmpty, loadMeadowline } from './load';

/** `main.js SIZE`, with the address in TANTAMOS_DATABASE_URL: loads Meadowline into an empty database and says how long it took. */
async function load(url: string, size: number): Promise<void> {
  const client = new Client({ connectionString: url });
  await client.connect();
  try {
    if (!(await isEmpty(client))) {
      process.stderr.write('  That database has tables already; the demo data goes into an empty one.\n');
      process.exitCode = 1;
      return;
    }
    const begun = performance.now();
    const records = await loadMeadowline(client, size, (text) => process.stderr.write(`  ${text}\n`));
    process.stderr.write(
      `  ${records.toLocaleString('en-US')} records in ${((performance.now() - begun) / 1000).toFixed(1)} s\n`,
    );
  } finally {
    await client.end();
  }
}

void load(process.env.TANTAMOS_DATABASE_URL!, Number(process.argv[2] ?? 1));
