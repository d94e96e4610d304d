import type { RuleBody, RuleVersionView, RuleView } from '@tantamos/contract';
import {
  boundText,
  checkCondition,
  checkRule,
  clip,
  closest,
  countRecords,
  everyRecord,
  fail,
  mendWords,
  namesIn,
  parse,
  quote,
  ruleWords,
  within,
  type Catalog,
  type Env,
  type RecordType,
  type RuleSaid,
} from '@tantamos/core';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Logger } from 'pino';
import type { CatalogStore } from '../catalog/catalog-store';
import { answerNames } from '../catalog/names';
import { askOn, type Connection, type Database } from '../database/database';
import { longestSearch } from '../database/patience';
import { asProblem } from '../database/problems';
import { codeOf, outage } from '../database/refusal';
import { nowInMicroseconds, type Compiler } from '../jobs/compiler';
import { keptName, mustBeNewest } from '../kept-by-name';
import type { Seen } from '../rights/seen';
import { mostVersions, mustHaveRoom } from '../storage/room';
import { restingOnRule } from './users';
import { turns } from '../turns';
import { staleRules } from './stale';
import { ruleContext, troubleOf } from './context';

interface Row {
  readonly id: string;
  readonly name: string;
  readonly type: string;
  readonly bound: RuleSaid;
  readonly said: RuleSaid;
  readonly is_on: boolean;
  readonly version: number;
  readonly changed_by_name: string;
  readonly changed_at: Date;
  readonly counts: readonly { readonly day: string; readonly broken: number }[];
  readonly counted_at: Date | null;
}

/** Counts of so many days are told with a rule. */
const toldDays = 60;
/** Any number will do as long as every Tantamos uses the same one. */
const countLock = 741_000_004;
const countEvery = 3_600_000;
/** A count is not repeated within this time while a run is at work, and waited for this long by who asks; in ms. */
const countedFor = 5000;
const waitForCounts = 2000;

/** The workspace's own rules, each with all its versions, and how many records break each, by day. */
export class Rules {
  private timer: NodeJS.Timeout | undefined;
  private closed = false;
  private readonly recounting = new Map<string, Promise<void>>();
  private lastRecount: Promise<void> = Promise.resolve();

  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    private readonly compiler: Compiler,
    private readonly log: Logger,
  ) {}

  /** Own rules and the database's checks on what the person may see; of one type, where one is said. */
  async list(seen: Seen, typeId?: string): Promise<RuleView[]> {
    const type = typeId === undefined ? undefined : seen.catalog.type(typeId);
    const env = await this.env();
    const rows = async (): Promise<readonly Row[]> => {
      const all = await this.database.rows<Row & Record<string, unknown>>(`${selectRules} order by lower(r.name)`, [
        toldDays,
      ]);
      return all.filter((r) => type === undefined || r.type === type.id);
    };
    let found = await rows();
    // Only who sees everything sees counts.
    let stale = seen.isWhole ? await this.stale(found, env) : new Set<string>();
    if (stale.size > 0 && (await this.recounted(found.filter((r) => stale.has(r.name))))) {
      found = await rows();
      stale = await this.stale(found, env);
    }
    const own: RuleView[] = [];
    const turn = turns();
    for (const row of found) {
      await turn();
      const shown = view(row, seen, env, stale.has(row.name));
      if (shown) own.push(shown);
    }
    const types = type ? [type] : seen.catalog.types.filter((t) => !t.hidden);
    return [...own, ...types.flatMap(checksOf)];
  }

  async get(seen: Seen, name: string): Promise<RuleView> {
    const own = (await this.list(seen)).filter((r) => r.source === 'own');
    return (
      own.find((r) => r.name.toLowerCase() === name.toLowerCase()) ??
      fail('not_found', `There is no rule “${clip(name)}”.`, {
        suggestions: closest(
          name,
          own.map((r) => r.name),
        ),
      })
    );
  }

  async versions(seen: Seen, name: string): Promise<RuleVersionView[]> {
    const rule = await this.get(seen, name);
    const rows = await this.database.rows<RuleVersionView & { changed_at: Date } & Record<string, unknown>>(
      `select v.version, v.said || jsonb_build_object('name', r.name) as said, v.is_on as "isOn", a.name as "changedBy", v.changed_at
       from tantamos.rule_version v join tantamos.account a on a.id = v.changed_by
       join tantamos.rule r on r.id = v.rule where lower(r.name) = lower($1) order by v.version desc`,
      [rule.name],
    );
    const env = await this.env();
    return rows
      .filter((r) => seen.isWhole || troubleOf({ name, bound: r.said }, seen.catalog, env) === null)
      .map(({ changed_at, ...r }) => ({
        ...r,
        words: ruleWords(r.said, seen.catalog, ruleContext(env)),
        changedAt: changed_at.toISOString(),
      }));
  }

  /** A new rule, switched off unless told otherwise, or a new version of the one of that name. */
  async save(seen: Seen, { name: called, version, isOn, ...rest }: RuleBody): Promise<RuleView> {
    seen.must('administer');
    // Members that were left out are not there, whatever class they came in.
    const said = JSON.parse(JSON.stringify(rest)) as RuleSaid;
    const name = keptName(called);
    const bound = await this.bound(seen, name, said);
    await this.database.transaction('read committed', async (connection) => {
      const [before] = await found(connection, name);
      if (before) mustBeNewest(before.version, version ?? null);
      else await mustHaveRoom(connection, 'rules', seen.person.id);
      const values = [name, said.type, bound, said, isOn ?? before?.is_on ?? false, seen.person.id];
      const { rows } = before
        ? await connection.query<{ id: string }>(
            `update tantamos.rule set name = $1, type = $2, bound = $3, said = $4, is_on = $5, changed_by = $6,
               version = version + 1, changed_at = now() where id = $7 and version = $8 returning id`,
            [...values, before.id, before.version],
          )
        : await connection
            .query<{ id: string }>(
              `insert into tantamos.rule (name, type, bound, said, is_on, changed_by)
               values ($1, $2, $3, $4, $5, $6) returning id`,
              values,
            )
            .catch((error: unknown) => {
              if (codeOf(error) !== '23505') throw error;
              return fail('name_taken', `The name “${clip(name)}” is taken.`, { where: 'name' });
            });
      const saved = rows[0] ?? fail('stale_version', 'Somebody changed this rule just now; look at it again.');
      await connection.query(keepVersion, [saved.id]);
      await connection.query(dropOldVersions, [saved.id, mostVersions]);
      // What was counted by another condition is not what is counted from now on.
      if (before && conditionsOf(before.bound) !== conditionsOf(bound))
        await connection.query('delete from tantamos.rule_count where rule = $1', [saved.id]);
    });
    return this.get(seen, name);
  }

  async switch(seen: Seen, name: string, isOn: boolean, version: number | null): Promise<RuleView> {
    seen.must('administer');
    const rule = await this.get(seen, name);
    if (isOn && rule.trouble !== null)
      fail('bad_value', `“${clip(rule.name)}” cannot be switched on: ${rule.trouble}`, { where: 'isOn' });
    await this.database.transaction('read committed', async (connection) => {
      const [before] = await found(connection, name);
      if (!before) fail('not_found', `There is no rule “${clip(name)}” any more.`);
      mustBeNewest(before.version, version);
      if (before.is_on === isOn) return;
      await connection.query(
        'update tantamos.rule set is_on = $2, changed_by = $3, version = version + 1, changed_at = now() where id = $1',
        [before.id, isOn, seen.person.id],
      );
      await connection.query(keepVersion, [before.id]);
      await connection.query(dropOldVersions, [before.id, mostVersions]);
    });
    return this.get(seen, name);
  }

  async drop(seen: Seen, name: string): Promise<void> {
    seen.must('administer');
    const rule = await this.get(seen, name);
    const users = await restingOnRule(this.database, rule.name);
    if (users.length > 0)
      fail(
        'would_alter',
        `“${rule.name}” cannot be deleted: ${users.join(', ')} ask${users.length === 1 ? 's' : ''} for what breaks it.`,
      );
    await this.database.rows('delete from tantamos.rule where lower(name) = lower($1)', [rule.name]);
  }

  /** Counts the records that break it now. What a person sees only a part of is not kept as the count of all. */
  async count(seen: Seen, name: string, signal: AbortSignal): Promise<RuleView> {
    const rule = await this.get(seen, name);
    if (rule.ofChange)
      fail('bad_value', `“${clip(rule.name)}” is about changes, so no record breaks it by itself.`, { where: 'name' });
    const selection = { type: rule.type, filter: `breaks_rule(${quote(rule.name)})` };
    const { selection: checked } = await this.compiler.selection(seen, selection);
    const at = await this.clock();
    const [counted] = await this.database
      .askWithin<{ count: number }>(countRecords(checked), longestSearch, signal)
      .catch(asProblem);
    const broken = counted?.count ?? 0;
    if (!seen.isWhole) return { ...rule, broken, stale: false, countedAt: at.toISOString() };
    await this.database.rows(keepCount, [rule.name, broken, await this.catalogs.timeZone(), at]);
    return this.get(seen, rule.name);
  }

  /** Rules whose count a run may have changed since. */
  private async stale(rows: readonly Row[], env: Env): Promise<ReadonlySet<string>> {
    const catalog = await this.catalogs.get();
    const counted = rows.flatMap((r) => {
      if (r.counted_at === null || troubleOf(r, catalog, env) !== null) return [];
      const rule = checkRule(r.name, r.bound, catalog, ruleContext(env));
      return rule.ofChange ? [] : [{ name: r.name, type: r.type, rule, countedAt: r.counted_at }];
    });
    return staleRules(this.database, counted);
  }

  /** Counts rules again, one after another, and waits a while for it. True where at least one was counted meanwhile. */
  private async recounted(rows: readonly Row[]): Promise<boolean> {
    const due = rows.filter((r) => Date.now() - r.counted_at!.getTime() > countedFor);
    if (due.length === 0) return false;
    let counted = false;
    const all = Promise.all(due.map((r) => this.recount(r).then(() => (counted = true))));
    const timer = new AbortController();
    await Promise.race([all, sleep(waitForCounts, undefined, { signal: timer.signal })]).catch(() => {});
    timer.abort();
    return counted;
  }

  /** One count of a rule at a time, and one rule at a time, whoever asks. */
  private recount({ name, bound }: Row): Promise<void> {
    const under = this.recounting.get(name);
    if (under) return under;
    const work = this.lastRecount.then(async () => {
      const [catalog, env] = [await this.catalogs.get(), await this.env()];
      await this.database.with((connection) => this.countOn(connection, { name, bound }, catalog, env));
    });
    this.lastRecount = work.catch((err: unknown) => this.log.warn({ err, rule: name }, 'rule not counted'));
    const known = work.finally(() => this.recounting.delete(name));
    known.catch(() => {});
    this.recounting.set(name, known);
    return known;
  }

  private async clock(): Promise<Date> {
    return (await this.database.one<{ at: Date }>('select clock_timestamp() as at'))!.at;
  }

  /** Counts one and keeps it; `false` where it is about changes. What was true when the count began is what it says. */
  private async countOn(
    connection: Connection,
    rule: Pick<Row, 'name' | 'bound'>,
    catalog: Catalog,
    env: Env,
  ): Promise<boolean> {
    const checked = checkRule(rule.name, rule.bound, catalog, ruleContext(env));
    if (checked.ofChange) return false;
    const selection = { ...everyRecord(catalog.type(rule.bound.type)), condition: checked.broken, env };
    const at = await this.clock();
    await connection.query(`set statement_timeout = ${longestSearch}`);
    try {
      const [found] = await askOn<{ count: number }>(connection, countRecords(selection));
      await connection.query(keepCount, [rule.name, found!.count, env.timeZone, at]);
      return true;
    } finally {
      await connection.query('reset statement_timeout').catch(() => {});
    }
  }

  /** Begins to count each rule once a day. */
  start(): void {
    const look = async (): Promise<void> => {
      await this.countDaily().catch((err: unknown) => this.log.warn({ err }, 'rules not counted'));
      if (this.closed) return;
      this.timer = setTimeout(() => void look(), countEvery);
      this.timer.unref();
    };
    this.timer = setTimeout(() => void look(), 60_000);
    this.timer.unref();
  }

  close(): void {
    this.closed = true;
    clearTimeout(this.timer);
  }

  /** Counts each rule that has not been counted today, one after another; one process at a time. How many it counted. */
  async countDaily(): Promise<number> {
    const [catalog, env] = [await this.catalogs.get(), await this.env()];
    return this.database.with(async (connection) => {
      const { rows: lock } = await connection.query<{ held: boolean }>('select pg_try_advisory_lock($1) as held', [
        countLock,
      ]);
      if (!lock[0]!.held) return 0;
      try {
        const { rows } = await connection.query<Pick<Row, 'name' | 'bound'>>(
          `select name, bound from tantamos.rule r where not exists (
             select from tantamos.rule_count c where c.rule = r.id and c.day = (now() at time zone $1)::date) order by name`,
          [env.timeZone],
        );
        let counted = 0;
        for (const rule of rows) {
          if (this.closed || troubleOf(rule, catalog, env) !== null) continue;
          try {
            if (await this.countOn(connection, rule, catalog, env)) counted++;
          } catch (err) {
            // One that takes too long does not keep the others from being counted.
            if (outage(err) !== null) throw err;
            this.log.warn({ err, rule: rule.name }, 'rule not counted');
          }
        }
        return counted;
      } finally {
        await connection.query('select pg_advisory_unlock($1)', [countLock]).catch(() => {});
      }
    });
  }

  /** Checked, with names as keys; its mend is checked as a job of its own would be. */
  private async bound(seen: Seen, name: string, said: RuleSaid): Promise<RuleSaid> {
    const { catalog } = seen;
    const context = ruleContext(await this.env());
    checkRule(name, said, catalog, context);
    const type = catalog.type(said.type);
    const bind = async (where: 'where' | 'holds'): Promise<object> => {
      const text = said[where];
      if (!text?.trim()) return {};
      const questions = namesIn(checkCondition(parse(text), catalog, type, context));
      const answers = await answerNames(this.database, catalog, questions);
      return { [where]: within(where, () => boundText(text, questions, answers, catalog)) };
    };
    if (said.mend?.length) await this.compiler.job(seen, { selection: { type: type.id }, edits: said.mend });
    return { ...said, ...(await bind('where')), ...(await bind('holds')) };
  }

  private async env(): Promise<Env> {
    return { timeZone: await this.catalogs.timeZone(), now: nowInMicroseconds() };
  }
}

const selectRules = `
  select r.*, a.name as changed_by_name, c.counts, c.counted_at
  from tantamos.rule r join tantamos.account a on a.id = r.changed_by
  cross join lateral (
    select coalesce(json_agg(json_build_object('day', d.day, 'broken', d.broken) order by d.day), '[]') as counts,
      max(d.counted_at) as counted_at
    from (select * from tantamos.rule_count where rule = r.id order by day desc limit $1) d) c`;

const keepVersion = `
  insert into tantamos.rule_version (rule, version, said, is_on, changed_by)
  select id, version, said, is_on, changed_by from tantamos.rule where id = $1`;

/** $1 rule, $2 how many versions are kept. */
const dropOldVersions = `delete from tantamos.rule_version v using tantamos.rule r
  where r.id = $1 and v.rule = r.id and v.version <= r.version - $2`;

/** $1 name, $2 how many, $3 time zone of the workspace, $4 when the count began. An older count does not replace a newer one. */
const keepCount = `
  insert into tantamos.rule_count as c (rule, day, broken, counted_at)
  select id, ($4::timestamptz at time zone $3)::date, $2, $4 from tantamos.rule where lower(name) = lower($1)
  on conflict (rule, day) do update set broken = excluded.broken, counted_at = excluded.counted_at
  where c.counted_at < excluded.counted_at`;

async function found(
  connection: Connection,
  name: string,
): Promise<readonly Pick<Row, 'id' | 'version' | 'bound' | 'is_on'>[]> {
  const { rows } = await connection.query<Row>(
    'select id, version, bound, is_on from tantamos.rule where lower(name) = lower($1) for update',
    [name],
  );
  return rows;
}

/** What decides which records break it. */
function conditionsOf({ message: _, mend: __, ...rest }: RuleSaid): string {
  const { type, where, holds, transitions, choices } = rest;
  return JSON.stringify([type, where, holds, transitions, choices]);
}

/** Null where the person may not see what it is about. */
function view(r: Row, seen: Seen, env: Env, stale: boolean): RuleView | null {
  const { catalog } = seen;
  const trouble = troubleOf(r, catalog, env);
  if (trouble !== null && !seen.isWhole) return null;
  const checked = trouble === null ? checkRule(r.name, r.bound, catalog, ruleContext(env)) : null;
  const { where, holds, transitions, choices, mend } = r.said;
  return {
    name: r.name,
    source: 'own',
    type: r.type,
    typeLabel: catalog.find(r.type)?.label ?? r.type,
    message: r.said.message,
    words: ruleWords(r.said, catalog, ruleContext(env)),
    isOn: r.is_on,
    where: where ?? null,
    holds: holds ?? null,
    transitions: transitions ?? null,
    choices: choices ?? null,
    mend: mend ?? null,
    mendWords: mendWords(r.said, catalog),
    fields: checked?.fields ?? [],
    ofChange: checked?.ofChange ?? transitions !== undefined,
    trouble,
    // What was counted over records that the person may not see is not told.
    broken: seen.isWhole ? (r.counts.at(-1)?.broken ?? null) : null,
    countedAt: seen.isWhole ? (r.counted_at?.toISOString() ?? null) : null,
    stale,
    counts: seen.isWhole ? r.counts : [],
    version: r.version,
    changedBy: r.changed_by_name,
    changedAt: r.changed_at.toISOString(),
  };
}

/** The database's own checks, in the same list. */
function checksOf(type: RecordType): RuleView[] {
  const shown = new Set(type.fields.filter((f) => !f.hidden).map((f) => f.name));
  return type.rules
    .filter((r) => r.fields.every((f) => shown.has(f)))
    .map((r) => ({
      name: r.name,
      source: 'database',
      type: type.id,
      typeLabel: type.label,
      message: r.message,
      words: r.condition,
      isOn: true,
      where: null,
      holds: null,
      transitions: null,
      choices: null,
      mend: null,
      mendWords: null,
      fields: r.fields,
      ofChange: false,
      trouble: null,
      broken: r.holdsForAll ? 0 : null,
      countedAt: null,
      stale: false,
      counts: [],
      version: 1,
      changedBy: null,
      changedAt: null,
    }));
}
