import { raw, sql, value, type CheckedPart, type Passing, type Sql } from '@tantamos/core';
import { askOn, type Connection } from '../database/database';
import {
  byHeld,
  directions,
  distances,
  handedOn,
  holders,
  inRings,
  keptFrom,
  refusedRows,
  ringsPlaced,
  uniqueChanges,
  unparkable,
} from './statements/unique';

/** Rows with their places as `at_last`, from 1 to `last`; not every place need be taken. */
export interface Placed {
  readonly rows: Sql;
  readonly last: number;
  readonly passing: Passing | null;
}

/**
 * Records of which each is to get a value that another gives up: whoever holds a value goes before who is to get it. Nearly
 * always all values become greater, or all less, and what is held says the order; else each record's distance from the end
 * of its chain does. Those that go round in a circle stand together in one batch, where all give up theirs first.
 *
 * Chains may be as long as the selection, so they are never followed step by step: what is known of a record and the one
 * `next` in its chain is put together, which doubles the stretch it holds for.
 */
export class Passings {
  private tables = 0;

  constructor(
    private readonly connection: Connection,
    private readonly part: CheckedPart,
    private readonly index: number,
    private readonly rows: Sql,
    private readonly batchSize: number,
  ) {}

  /** Marks those that cannot be written, and says in which order the others can be. */
  async placed(): Promise<Placed> {
    const { part, rows } = this;
    const fields = uniqueChanges(part);
    // Who is not written keeps the value of one field, and so others from another.
    while ((await this.marked(fields)) && fields.length > 1);
    const handed: { at: number; pairs: Sql }[] = [];
    for (const at of fields) {
      const pairs = await this.table(handedOn(part, at, rows));
      if (await this.some(sql`select from ${pairs}`)) handed.push({ at, pairs });
    }
    const [first, second] = handed;
    if (!first) return this.kept(sql`select r.*, r.n as at_last from ${rows} r`, null);
    if (second) return this.refusedAll(handed.map((h) => h.pairs));
    const { at, pairs } = first;
    const [way] = await askOn<{ up: boolean; down: boolean }>(this.connection, directions(part, at, rows, pairs));
    if (way!.up || way!.down) return this.kept(byHeld(part, at, rows, way!.up ? 'up' : 'down'), { how: 'along' });
    return this.chained(at, pairs);
  }

  /** Marks who waits, however far down its chain, for a value that is not given up. Tells whether there was one. */
  private async marked(fields: readonly number[]): Promise<boolean> {
    let found = false;
    for (const at of fields) {
      let chain = await this.table(holders(this.part, at, this.rows));
      if (!(await this.some(sql`select from ${chain} where kept`))) continue;
      found = true;
      chain = await this.doubled(
        chain,
        (all) => sql`select s.n, o.next, s.kept or coalesce(o.kept, false) as kept
          from ${all} s left join ${all} o on o.n = s.next`,
      );
      await askOn(this.connection, keptFrom(this.part, at, this.rows, chain));
    }
    return found;
  }

  private async chained(at: number, pairs: Sql): Promise<Placed> {
    const { part, rows, batchSize } = this;
    const { field } = part.changes[at]!;
    const chain = await this.doubled(
      await this.table(distances(rows, pairs)),
      (all) => sql`select s.n, o.next, s.steps + coalesce(o.steps, 0) as steps, least(s.low, o.low) as low
        from ${all} s left join ${all} o on o.n = s.next`,
    );
    if (!(await this.some(sql`select from ${chain} where next is not null`)))
      return this.kept(ringsPlaced(rows, chain, batchSize), { how: 'along' });
    const cannot = unparkable(part, at);
    const words = cannot ?? 'its values go round in a circle of more records than a batch holds';
    await askOn(this.connection, inRings(rows, chain, `${field.label}: ${words}.`, cannot ? 0 : batchSize));
    return this.kept(ringsPlaced(rows, chain, batchSize), { how: 'around', field: field.name });
  }

  /** With two fields who goes before whom is said twice, and may be said both ways. */
  private async refusedAll(pairs: readonly Sql[]): Promise<Placed> {
    const words = 'Two fields pass values from record to record: change one after the other.';
    for (const some of pairs)
      await askOn(
        this.connection,
        refusedRows(this.rows, value(words), sql`exists (select from ${some} e where r.n in (e.reader, e.read))`),
      );
    return this.kept(sql`select r.*, r.n as at_last from ${this.rows} r`, null);
  }

  /** Puts together what is known of a record and of its `next`, until it holds for whole chains. */
  private async doubled(chain: Sql, step: (all: Sql) => Sql): Promise<Sql> {
    const [{ n } = { n: 0 }] = await askOn<{ n: number }>(this.connection, sql`select count(*) as n from ${chain}`);
    let now = chain;
    for (let known = 1; known <= n; known *= 2) {
      if (!(await this.some(sql`select from ${now} where next is not null`))) return now;
      const next = await this.table(step(now));
      await askOn(this.connection, sql`drop table ${now}`);
      now = next;
    }
    return now;
  }

  private async kept(placed: Sql, passing: Passing | null): Promise<Placed> {
    const rows = await this.table(placed);
    await askOn(this.connection, sql`alter table ${rows} drop column n`);
    await askOn(this.connection, sql`create index on ${rows} (at_last)`);
    const [{ last } = { last: 0 }] = await askOn<{ last: number }>(
      this.connection,
      sql`select coalesce(max(at_last), 0) as last from ${rows}`,
    );
    return { rows, last, passing };
  }

  private async table(rows: Sql): Promise<Sql> {
    const name = `passing_${this.index}_${++this.tables}`;
    await askOn(this.connection, sql`create temp table ${raw(name)} on commit drop as ${rows}`);
    const table = raw(`pg_temp.${name}`);
    await askOn(this.connection, sql`analyze ${table}`);
    return table;
  }

  private async some(rows: Sql): Promise<boolean> {
    const [found] = await askOn<{ is: boolean }>(this.connection, sql`select exists (${rows}) as is`);
    return found!.is;
  }
}
