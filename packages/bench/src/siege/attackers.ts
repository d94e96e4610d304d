import { connect } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { Asker } from './asker';
import { hostile } from './hostile';

/** What came back: by attack, how often each status; 0 where the connection was cut. */
export type Answers = Record<string, Record<number, number>>;

interface Attack {
  readonly name: string;
  /** How many do it at once. */
  readonly times: number;
  /** Does it once; the status that came back. */
  once(asker: Asker, i: number): Promise<number>;
}

const status = async (answer: Promise<Response>): Promise<number> => {
  const got = await answer;
  await got.arrayBuffer();
  return got.status;
};

const hostileAttack = (name: string, words: RegExp, times: number): Attack => {
  const chosen = hostile.filter((h) => words.test(h.name));
  return {
    name,
    times,
    once: (asker, i) => {
      const { path, body } = chosen[i % chosen.length]!;
      return status(asker.send(path, body()));
    },
  };
};

const attacks: readonly Attack[] = [
  hostileAttack('paste lists', /^a list of .* (letters|codes|names)/, 8),
  hostileAttack('run the worst filters', /filter|pattern|functions|explained|in JSON|keys/, 12),
  hostileAttack('send monstrous JSON', /^JSON/, 6),
  hostileAttack('make workbooks', /workbook/, 4),
  {
    name: 'export without reading',
    times: 22,
    once: (asker) => unread(asker),
  },
  {
    name: 'make previews',
    times: 6,
    once: (asker) =>
      status(
        asker.send(
          '/api/previews',
          JSON.stringify({ selection: { type: 'bookings' }, edits: [{ kind: 'clear', field: 'note' }], why: 'siege' }),
        ),
      ),
  },
  {
    name: 'open streams',
    times: 80,
    async once(asker) {
      const away = new AbortController();
      const events = await asker.send(`/api/runs/${waitingRun}/events`, undefined, away.signal);
      await sleep(2000);
      away.abort();
      return events.status;
    },
  },
  {
    name: 'ask journals',
    times: 10,
    once: (asker, i) => status(journals[i % journals.length]!(asker)),
  },
  {
    name: 'sign in wrongly',
    times: 10,
    once: (asker, i) =>
      status(
        fetch(`${asker.base}/api/sessions`, {
          method: 'POST',
          headers: { 'Content-Type': 'application/json' },
          body: JSON.stringify({ login: i % 2 ? 'sorrel' : `nobody${i}`, password: `guess ${i}`, kind: 'token' }),
        }),
      ),
  },
  {
    name: 'send slowly',
    times: 20,
    once: (asker) => slowly(asker),
  },
];

/** What is asked of a run that is over: counted anew, looked for in all that was changed, used as a filter, taken back in part. */
const journals: readonly ((asker: Asker) => Promise<Response>)[] = [
  (asker) => asker.send(`/api/runs/${doneRun}/recheck`, '{}'),
  (asker) => asker.send(`/api/runs/${doneRun}/causes`),
  (asker) => asker.send(`/api/runs/${doneRun}/records?text=${'%25a'.repeat(100)}&limit=500`),
  (asker) => asker.send(`/api/changes?type=bookings&field=note&new=${'sieg'.repeat(1200)}`),
  (asker) => asker.send(`/api/changes?text=${'%25e'.repeat(160)}`),
  (asker) => asker.send('/api/changes?type=bookings&record=77'),
  (asker) =>
    asker.send(
      '/api/types/bookings/search',
      JSON.stringify({ filter: `NOT in_run('${doneRun}', 'changed')`, count: 'exact' }),
    ),
  (asker) => asker.send(`/api/runs/${doneRun}/undo`, JSON.stringify({ filter: `body_less(${'x'.repeat(2000)})` })),
  (asker) => asker.send(`/api/runs/${doneRun}/undo`, JSON.stringify({ filter: 'hives > 3', fields: ['note'] })),
];

/** A run that waits for somebody: watching it never ends. */
let waitingRun = '';
/** One of some thousand records that is over. */
let doneRun = '';

async function startRuns(asker: Asker): Promise<void> {
  const some = { selection: { type: 'bookings', keys: ['1', '2', '3', '4'] }, edits: siege, why: 'siege' };
  waitingRun = await started(asker, some, 1);
  const many = { selection: { type: 'bookings', filter: 'id > 10 AND id < 4000' }, edits: siege, why: 'siege' };
  doneRun = await started(asker, { ...many, safety: { pace: 100 } }, null);
  for (let state = ''; state !== 'finished'; await sleep(100))
    ({ state } = await asker.ask<{ state: string }>(`/api/runs/${doneRun}`));
}

const siege = [{ kind: 'set', field: 'note', value: 'siege' }];

async function started(asker: Asker, job: object, askAfter: number | null): Promise<string> {
  const made = await asker.ask<{ id: string }>('/api/previews', job);
  let told = { state: 'working', totals: { will_change: 0 } };
  while (told.state === 'working') told = await asker.ask<typeof told>(`/api/previews/${made.id}`);
  const expect = told.totals.will_change;
  return (await asker.ask<{ id: string }>('/api/runs', { preview: made.id, askAfter, expect })).id;
}

/** All of them at once for so long, in ms, in turn as each of these people. */
async function attack(people: readonly Asker[], ms: number): Promise<Answers> {
  const end = Date.now() + ms;
  const told: Answers = Object.fromEntries(attacks.map((a) => [a.name, {}]));
  await Promise.all(
    attacks.flatMap(({ name, times, once }) =>
      Array.from({ length: times }, async (_, of) => {
        const answers = told[name]!;
        for (let i = of; Date.now() < end; i += times) {
          const got = await once(people[i % people.length]!, i).catch(() => 0);
          answers[got] = (answers[got] ?? 0) + 1;
          await sleep(5);
        }
      }),
    ),
  );
  return told;
}

/** Asks for all records and reads but the first piece of them; the status. */
function unread(asker: Asker): Promise<number> {
  const body = '{"format":"jsonl"}';
  return raw(asker, '/api/types/remarks/export', body.length, body, 3000);
}

/** A body of 8 MB that never comes. */
function slowly(asker: Asker): Promise<number> {
  return raw(asker, '/api/types/bookings/search', 8_000_000, '{"filter":"', 3000);
}

function raw(asker: Asker, path: string, length: number, body: string, hold: number): Promise<number> {
  return new Promise((resolve) => {
    const headers = Object.entries({ ...asker.headers(), Host: 'localhost', 'Content-Length': String(length) });
    const socket = connect(Number(new URL(asker.base).port), '127.0.0.1', () =>
      socket.write(`POST ${path} HTTP/1.1\r\n${headers.map((h) => h.join(': ')).join('\r\n')}\r\n\r\n${body}`),
    );
    let got = 0;
    const end = (): void => {
      socket.destroy();
      resolve(got);
    };
    socket.once('data', (head: Buffer) => {
      got = Number(/^HTTP\/1.1 (\d+)/.exec(head.toString('latin1'))?.[1] ?? 0);
      socket.pause();
    });
    socket.on('error', end);
    setTimeout(end, hold);
  });
}

/** A process of its own, so that what attacks does not hold up what is measured: base, ms, then logins and passwords. */
async function main([base, ms, ...entries]: string[]): Promise<void> {
  const people: Asker[] = [];
  for (let i = 0; i < entries.length; i += 2)
    people.push(await new Asker(base!).takeToken(entries[i]!, entries[i + 1]!));
  await startRuns(people.at(-1)!);
  process.send!('ready');
  process.send!(await attack(people, Number(ms)));
  process.exit(0);
}

if (require.main === module) void main(process.argv.slice(2));
