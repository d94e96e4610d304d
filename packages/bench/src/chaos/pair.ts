import { spawn, type ChildProcess } from 'node:child_process';
import { setTimeout as sleep } from 'node:timers/promises';
import { Client } from '@tantamos/client';
import type { Counts } from './storm';

/** Two services on one database, one of which is killed now and then and started again. */
export class Pair {
  private readonly children: (ChildProcess | null)[] = [null, null];
  private readonly clients: (Client | null)[] = [null, null];
  private token: string | undefined;
  private over = false;
  /** Which of them is frozen just now. */
  private frozen: number | null = null;
  /** What services said that ended by themselves: none should. */
  readonly ended: string[] = [];

  constructor(
    private readonly program: string,
    private readonly counts: Counts,
  ) {}

  async start(): Promise<void> {
    await this.open(0);
    await this.open(1);
  }

  /** One of those that live. */
  one(): Client {
    const alive = this.clients.filter((c) => c !== null);
    return alive[Math.floor(Math.random() * alive.length)] ?? this.clients[0]!;
  }

  /** Asks whichever lives until one answers. */
  async insist<T>(ask: (client: Client) => Promise<T>): Promise<T> {
    const deadline = Date.now() + 60_000;
    for (;;) {
      try {
        return await ask(this.one());
      } catch (error) {
        if (Date.now() > deadline) throw error;
        await sleep(100);
      }
    }
  }

  async kill(isOver: () => boolean, every: number): Promise<void> {
    while (!isOver()) {
      await sleep(every * (0.5 + Math.random()));
      if (isOver()) return;
      const at = Math.random() < 0.5 ? 0 : 1;
      const child = this.children[at];
      // One is always there to be asked.
      if (!child || this.frozen !== null) continue;
      this.clients[at] = null;
      this.children[at] = null;
      child.kill('SIGKILL');
      this.counts.serviceKills++;
      if (child.exitCode === null && child.signalCode === null)
        await new Promise((resolve) => child.once('exit', resolve));
      await this.open(at);
    }
  }

  /** Stops one of them where it stands, for longer than the other waits before it takes its work over. */
  async freeze(isOver: () => boolean, ms: number): Promise<void> {
    while (!isOver()) {
      await sleep(500 + Math.random() * 3000);
      const at = Math.random() < 0.5 ? 0 : 1;
      const child = this.children[at];
      if (isOver() || !child || this.clients.includes(null)) continue;
      const client = this.clients[at]!;
      this.frozen = at;
      this.clients[at] = null;
      child.kill('SIGSTOP');
      this.counts.freezes++;
      for (const end = Date.now() + ms; Date.now() < end && !isOver();) await sleep(50);
      child.kill('SIGCONT');
      if (this.children[at] === child) this.clients[at] = client;
      this.frozen = null;
    }
  }

  async stop(): Promise<void> {
    this.over = true;
    await Promise.all(
      this.children.map(async (child) => {
        if (!child) return;
        const gone = new Promise((resolve) => child.once('exit', resolve));
        child.kill('SIGTERM');
        await Promise.race([gone, sleep(10_000)]);
        child.kill('SIGKILL');
      }),
    );
  }

  /** Started until it is ready: the database may be recovering. */
  private async open(at: number): Promise<void> {
    while (!this.over) {
      const child = spawn(process.execPath, [this.program], {
        env: { ...process.env, TANTAMOS_PORT: '0' },
        stdio: ['ignore', 'pipe', 'pipe'],
      });
      let complaint = '';
      child.stderr.on('data', (text: Buffer) => (complaint = `${complaint}${text.toString()}`.slice(-3000)));
      child.once('exit', (code) => {
        if (code !== null && this.children[at] === child && !this.over) this.ended.push(complaint);
      });
      const said = await ready(child);
      if (!said) continue;
      try {
        if (said.account) {
          const client = new Client({ base: said.base });
          this.token ??= (await client.signIn({ ...said.account, kind: 'token' })).token;
        }
        this.children[at] = child;
        this.clients[at] = new Client({ base: said.base, token: this.token });
        return;
      } catch {
        child.kill('SIGKILL');
      }
    }
  }
}

/** Address and, at its first start, the first account, as the program prints them; null when it ends instead. */
function ready(
  child: ChildProcess,
): Promise<{ base: string; account: { login: string; password: string } | null } | null> {
  return new Promise((resolve) => {
    let said = '';
    child.stdout!.on('data', (text: Buffer) => {
      said += text.toString();
      if (!said.includes('Stop with')) return;
      const base = /ready:\s+(http:\S+)/.exec(said)![1]!;
      const found = /Sign in as\s+(\S+)\s+(\S+)/.exec(said);
      resolve({ base, account: found ? { login: found[1]!, password: found[2]! } : null });
    });
    child.once('exit', () => resolve(null));
  });
}
