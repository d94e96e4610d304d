import { alongOf, raw, sql, typeNow, type Along, type Catalog, type Sql, type WorkOrder } from '@tantamos/core';
import { askOn, type Connection } from '../database/database';
import {
  alongLeft,
  alongNow,
  freezeAlong,
  freezeAlongValues,
  hinderedBy,
  type AlongUndone,
  type Now,
} from './statements/along-back';
import type { Taken } from './statements/undo';

/** Related records of one entry that are not as the run left them. */
export interface AlongLeft {
  readonly type: string;
  readonly act: Along['act'];
  /** Changed since: left as they are, and their records restored all the same, where a person said so. */
  readonly edited: number;
  /** No longer there: nothing is done about them. */
  readonly gone: number;
}

/**
 * Related records when a run is undone. They are looked at before anything is frozen: one that is gone hinders
 * nothing, one that was edited since holds back the record it belongs to, unless a person said that it is to be left or
 * overwritten.
 */
export class AlongBack {
  /** Whose related records hold them back: rows of `part`, `owner`, `verdict`, `cause`; null where there are none at all. */
  readonly hindered: Sql | null;
  private readonly entries: readonly (AlongUndone & { readonly table: Sql })[];

  constructor(
    private readonly connection: Connection,
    private readonly run: string,
    order: WorkOrder,
    catalog: Catalog,
    private readonly taken: Pick<Taken, 'overwrite' | 'leaveEdited'>,
  ) {
    const last = order.parts.length - 1;
    this.entries = alongOf(order).flatMap(({ part, entry, at }) => {
      if (entry.was === undefined) return [];
      const type = typeNow(catalog, entry.type);
      const table = raw(`pg_temp.along_${at}`);
      return [{ entry, type, part, at, wasPart: last - part, wasAt: entry.was, table }];
    });
    this.hindered = this.entries.length > 0 ? raw('pg_temp.hindered') : null;
  }

  async look(): Promise<void> {
    if (!this.hindered) return;
    await this.ask(sql`create temp table hindered (part integer, owner text, verdict text, cause text) on commit drop`);
    for (const entry of this.entries) {
      const name = raw(`along_${entry.at}`);
      await this.ask(sql`create temp table ${name} on commit drop as ${alongNow(this.run, entry)}`);
      await this.ask(sql`create index on ${entry.table} (owner)`);
      await this.ask(sql`analyze ${entry.table}`);
      const { overwrite, leaveEdited } = this.taken;
      // A key that is taken stays taken, whatever a person says.
      if (entry.entry.act === 'create' || !(overwrite || leaveEdited))
        await this.ask(sql`insert into ${this.hindered} ${hinderedBy(entry.table, entry)}`);
    }
    await this.ask(sql`create index on ${this.hindered} (part, owner)`);
    await this.ask(sql`analyze ${this.hindered}`);
  }

  /** Freezes them with the records that will be undone, once these are frozen. */
  async freeze(preview: string): Promise<readonly AlongLeft[]> {
    const kept: readonly Now[] = this.taken.overwrite ? ['same', 'edited'] : ['same'];
    const left: AlongLeft[] = [];
    for (const entry of this.entries) {
      for (const statement of freezeAlong(preview, entry.table, entry, kept)) await this.ask(statement);
      if (entry.entry.act !== 'delete') await this.ask(freezeAlongValues(this.run, preview, entry));
      const [found] = await askOn<{ edited: number; gone: number }>(
        this.connection,
        alongLeft(preview, entry.table, entry),
      );
      const { edited, gone } = found!;
      const isLeft = this.taken.leaveEdited && !this.taken.overwrite;
      left.push({ type: entry.type.id, act: entry.entry.act, edited: isLeft ? edited : 0, gone });
    }
    return left.filter((l) => l.edited + l.gone > 0);
  }

  private async ask(statement: Sql): Promise<void> {
    await askOn(this.connection, statement);
  }
}
