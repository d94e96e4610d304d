import { fork } from 'node:child_process';
import { setPriority } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import Table from 'cli-table3';
import { startService } from '../service';
import { Asker } from './asker';
import type { Answers } from './attackers';
import { canary, slowest, steps } from './canary';
import { hostile } from './hostile';

/** The canary is by itself for so long first, in ms. */
const alone = 4000;
const program = join(__dirname, '..', '..', '..', 'service', 'dist', 'main.js');

/**
 * A siege of the real service: each hostile request by itself, while another client asks whether the service is well; then
 * all kinds of them at once for `--seconds`, while a canary signs in, finds and previews. Prints how long they waited.
 */
async function siege(): Promise<void> {
  const { values } = parseArgs({
    options: { seconds: { type: 'string', default: '60' }, json: { type: 'boolean' } },
  });
  const service = await startService(program);
  try {
    const { base } = service;
    const piers = await new Asker(base).takeToken('piers', 'meadow-editor');
    const singles = await oneByOne(piers);
    const browser = new Asker(base);
    // Known as a browser from before the siege.
    await browser.enter('sorrel', 'meadow-admin');
    // What the machine needs for the same without any siege.
    const calm = Date.now() + alone;
    const quiet = await canary(browser, 'meadow-admin', () => Date.now() > calm);
    const attackers = attacking(base, Number(values.seconds) * 1000);
    await attackers.begun;
    let isOver = false;
    const [told, times] = await Promise.all([
      attackers.told.finally(() => (isOver = true)),
      canary(browser, 'meadow-admin', () => isOver),
    ]);
    const waits = Object.fromEntries(steps.map((step) => [step, slowest(times[step])]));
    const all = slowest(Object.values(times).flat());
    const before = slowest(Object.values(quiet).flat());
    const memory = service.peakMemory();
    if (values.json) process.stdout.write(JSON.stringify({ singles, waits, all, before, told, memory }));
    else print(singles, { ...waits, all, 'all, without a siege': before }, told, memory);
  } finally {
    await service.stop();
  }
}

/** Two people's names are used for all the attacks, so that a third has what is theirs. */
function attacking(base: string, ms: number): { begun: Promise<void>; told: Promise<Answers> } {
  const entries = ['wren', 'meadow-reader', 'piers', 'meadow-editor'];
  const child = fork(join(__dirname, 'attackers.js'), [base, String(ms), ...entries]);
  // Attackers have machines of their own; what they take of this one is not to be measured.
  setPriority(child.pid!, 10);
  const begun = new Promise<void>((resolve) => child.once('message', () => resolve()));
  const told = new Promise<Answers>((resolve, reject) => {
    child.on('message', (m) => typeof m === 'object' && resolve(m as Answers));
    child.once('exit', (code) => reject(new Error(`The attackers ended with ${code}.`)));
  });
  return { begun, told };
}

interface Single {
  readonly name: string;
  readonly status: number;
  readonly took: number;
  /** The longest that `GET /api/health` of somebody else took meanwhile, in ms. */
  readonly health: number;
}

async function oneByOne(asker: Asker): Promise<Single[]> {
  const singles: Single[] = [];
  // Each twice: the first meets code that has not been run yet.
  for (const { name, path, body, stranger } of [...hostile, ...hostile]) {
    const sent = body();
    let health = 0;
    let over = false;
    const probe = (async () => {
      while (!over) {
        const from = performance.now();
        await (await fetch(`${asker.base}/api/health`)).arrayBuffer();
        health = Math.max(health, performance.now() - from);
        await sleep(5);
      }
    })();
    const from = performance.now();
    const answer = await (stranger ? new Asker(asker.base) : asker).send(path, sent);
    await answer.arrayBuffer();
    const took = performance.now() - from;
    over = true;
    await probe;
    singles.push({ name, status: answer.status, took, health });
  }
  return singles;
}

type Waits = Readonly<Record<string, ReturnType<typeof slowest>>>;

function print(singles: readonly Single[], waits: Waits, told: Answers, memory: number): void {
  const ms = (n: number): string => `${Math.round(n).toLocaleString('en-US')} ms`;
  const table = (head: string[], rows: string[][]): void => {
    const made = new Table({
      head,
      style: { head: [], border: [] },
      colAligns: head.map((_, i) => (i ? 'right' : 'left')),
    });
    made.push(...rows);
    process.stdout.write(`${made.toString()}\n`);
  };
  process.stdout.write('One hostile request, and how long the health check of another client took meanwhile\n');
  table(
    ['request', 'answer', 'took', 'health at most'],
    singles.slice(hostile.length).map((s) => [s.name, String(s.status), ms(s.took), ms(s.health)]),
  );
  process.stdout.write('\nAll at once: what the attackers were answered\n');
  table(
    ['attack', 'answers'],
    Object.entries(told).map(([name, counts]) => [
      name,
      Object.entries(counts)
        .map(([status, n]) => `${n} × ${status === '0' ? 'cut off' : status}`)
        .join(', '),
    ]),
  );
  process.stdout.write('\nHow long the canary waited meanwhile\n');
  table(
    ['step', 'times', 'half', '99 of 100', 'slowest'],
    Object.entries(waits).map(([step, w]) => [step, String(w.n), ms(w.half), ms(w.p99), ms(w.worst)]),
  );
  process.stdout.write(`\nMemory of the service at most: ${Math.round(memory / 1e6).toLocaleString('en-US')} MB\n`);
}

siege().catch((error: unknown) => {
  process.stderr.write(`${error instanceof Error ? error.stack : String(error)}\n`);
  process.exitCode = 1;
});
