import { columnOf, type RecordType } from '../catalog/catalog';
import { hasKey, keyColumns, keyRow, keyText } from '../catalog/key';
import { identifier, join, raw, render, sql, value, type Sql } from '../sql/sql';
import type { FieldPath, Filed, PlaceWord } from './checked';
import type { Env } from './functions/entry';

/**
 * What an earlier part of the same order will have made of the records of a type: a table with the key's fields as
 * `k1`, `k2`… and, unless the part deletes, the values written as `w1`, `w2`… of `fields`.
 */
export interface Planned {
  readonly type: RecordType;
  readonly table: Sql;
  /** Null where these records will be gone. */
  readonly fields: readonly string[] | null;
}

interface Shared {
  made: number;
}

/** What is joined to the record: rows of a table, or columns that are worked out of it. */
type Joined = { readonly alias: string } & ({ readonly rows: Sql } | { readonly columns: Sql[] });

/** The table aliases of one statement: `r` for the record, others for each path prefix that is joined. */
export class Scope {
  private readonly lookups = new Map<string, Sql>();
  private readonly aliases = new Map<string, Sql>();
  private readonly fresh = new Map<string, Sql>();
  private readonly before = new Map<string, Sql>();
  /** In an order in which each rests on those before it alone. */
  private readonly joinsMade: Joined[] = [];
  private places: Readonly<Record<PlaceWord, Sql>> | undefined;
  readonly root: Sql;

  constructor(
    readonly type: RecordType,
    readonly env: Env = { timeZone: 'UTC', now: 0n },
    private readonly planned: readonly Planned[] = [],
    private readonly shared: Shared = { made: 0 },
    private isPlanned = false,
  ) {
    this.root = this.shared.made === 0 ? raw('r') : raw(`c${this.shared.made}`);
    this.shared.made++;
  }

  /** A scope for a statement inside this one, whose aliases do not meet these. */
  inner(type: RecordType): Scope {
    return new Scope(type, this.env, this.planned, this.shared, this.isPlanned);
  }

  /** What is asked for during `work` is as the order's earlier parts will have left it. */
  asPlanned<T>(work: () => T): T {
    const before = this.isPlanned;
    // Without earlier parts all is as it is, and nothing is joined twice.
    this.isPlanned = this.planned.length > 0;
    try {
      return work();
    } finally {
      this.isPlanned = before;
    }
  }

  /** The record's key: a column, or a row of them. */
  key(): Sql {
    return keyRow(this.type, this.root);
  }

  /** The columns of the record's key. */
  keys(): readonly Sql[] {
    return keyColumns(this.type, this.root);
  }

  /** A field of the record itself. */
  own(field: string): Sql {
    return this.cell(this.root, this.type, field);
  }

  /** Says where a record's place in its order is found, for the time that places are worked out. */
  placed(places: Readonly<Record<PlaceWord, Sql>>): void {
    this.places = places;
  }

  place(what: PlaceWord): Sql {
    if (!this.places) throw new Error('There is no order here, so no place in it.');
    return this.places[what];
  }

  /** Says where the value that will be written into a field stands. */
  written(field: string, column: Sql): void {
    this.fresh.set(field, column);
  }

  /** Says where stands what a field was, where the record itself is what it becomes. */
  was(field: string, column: Sql): void {
    this.before.set(field, column);
  }

  /** The column a path ends in; joins what it passes through, once per prefix. */
  column(path: FieldPath): Sql {
    if (path.isNew) {
      const fresh = this.fresh.get(path.field.name);
      if (!fresh) throw new Error(`Nothing says what ${path.field.name} will be.`);
      return fresh;
    }
    if (path.filed) return this.filed(path.filed, path.field.dbType);
    const was = path.isOld && this.before.get(path.field.name);
    if (was) return was;
    const { alias, type } = this.reach(path);
    return this.cell(alias, type, path.field.name);
  }

  private filed({ kept, at }: Filed, dbType: string): Sql {
    const row = this.given(kept, keyText(this.keys()));
    return at === 0 ? sql`(${row}.key is not null)` : sql`(${row}.texts[${raw(String(at))}])::${raw(dbType)}`;
  }

  /** The row of values of several fields that is kept for a key; by the index, record by record. Returns the alias. */
  given(kept: string, key: Sql): Sql {
    return this.lookedUp(
      sql`select g.key, g.texts, g.said from tantamos.given_row g where g.given = ${value(kept)}::uuid and g.key = ${key}`,
    );
  }

  /** The record that holds a path's last field, joined. */
  reach(path: FieldPath): { readonly alias: Sql; readonly type: RecordType } {
    let here = { alias: this.root, type: this.type };
    let prefix = this.isPlanned ? '!' : '';
    for (const step of path.through) {
      prefix += `.${step.field.name}`;
      let alias = this.aliases.get(prefix);
      if (!alias) {
        const from = this.cell(here.alias, here.type, step.field.name);
        alias = raw(`j${this.shared.made++}`);
        const on = sql`${alias}.${identifier(step.type.key[0]!)} = ${from}`;
        this.join(
          alias,
          sql` left join ${tableOf(step.type)} ${alias} on ${join([on, ...this.standing(alias, step.type)], ' and ')}`,
        );
        this.aliases.set(prefix, alias);
      }
      here = { alias, type: step.type };
    }
    return here;
  }

  /** Joins a table that has at most one row a record; `on` gets its alias. Returns the alias. */
  joined(table: Sql, on: (alias: Sql) => Sql): Sql {
    const alias = raw(`f${this.shared.made++}`);
    this.join(alias, sql` left join ${table} ${alias} on ${on(alias)}`);
    return alias;
  }

  /** Looks a row up, of which `query` gives at most one, record by record; once, however often it is asked for. Returns the alias. */
  lookedUp(query: Sql): Sql {
    const asked = JSON.stringify(query);
    const before = this.lookups.get(asked);
    if (before) return before;
    const alias = raw(`f${this.shared.made++}`);
    this.join(alias, sql` left join lateral (${query} limit 1) ${alias} on true`);
    this.lookups.set(asked, alias);
    return alias;
  }

  /** Works a value out once a record, from what is joined so far, beside others that rest on no more. Returns its column. */
  workedOut(expression: Sql): Sql {
    const rests = aliasesIn(expression);
    const from = this.joinsMade.findLastIndex(({ alias }) => rests.has(alias)) + 1;
    let beside = this.joinsMade.find((j, i): j is Joined & { columns: Sql[] } => i >= from && 'columns' in j);
    if (!beside) this.joinsMade.push((beside = { alias: `w${this.shared.made++}`, columns: [] }));
    beside.columns.push(expression);
    return raw(`${beside.alias}.c${beside.columns.length}`);
  }

  /** A name for a query inside a value. */
  newAlias(): Sql {
    return raw(`v${this.shared.made++}`);
  }

  /** `table r left join …`, to be asked for after every column has been. */
  from(): Sql {
    return sql`${tableOf(this.type)} ${this.root}${this.joins()}`;
  }

  /** The left joins alone. */
  joins(): Sql {
    return join(
      this.joinsMade.map((j) => ('rows' in j ? j.rows : workedOnce(j))),
      '',
    );
  }

  private join(alias: Sql, rows: Sql): void {
    this.joinsMade.push({ alias: alias.pieces.join(''), rows });
  }

  /** Conditions under which the record at `alias` will still be there. */
  standing(alias: Sql = this.root, type: RecordType = this.type): readonly Sql[] {
    if (!this.isPlanned || !hasKey(type)) return [];
    return this.planned
      .filter((p) => p.fields === null && p.type.id === type.id)
      .map((p) => sql`not exists (select from ${p.table} gone where ${sameKey(raw('gone'), alias, type)})`);
  }

  private cell(alias: Sql, type: RecordType, field: string): Sql {
    const own = columnOf(
      type.fields.find((f) => f.name === field)!,
      alias,
    );
    if (!this.isPlanned) return own;
    const writers = this.planned.filter((p) => p.type.id === type.id && p.fields?.includes(field));
    if (writers.length === 0) return own;
    // The last part that writes it decides.
    const cases = writers.reverse().map((p) => {
      const w = this.plannedAlias(alias, p);
      return sql`when ${w}.k1 is not null then ${w}.${raw(`w${p.fields!.indexOf(field) + 1}`)}`;
    });
    return sql`(case ${join(cases, ' ')} else ${own} end)`;
  }

  private plannedAlias(of: Sql, p: Planned): Sql {
    const name = `${of.pieces.join('')} ${p.table.pieces.join('')}`;
    const known = this.aliases.get(name);
    if (known) return known;
    const alias = this.joined(p.table, (a) => sameKey(a, of, p.type));
    this.aliases.set(name, alias);
    return alias;
  }
}

function workedOnce({ alias, columns }: Joined & { readonly columns: readonly Sql[] }): Sql {
  const named = columns.map((c, i) => sql`${c} as ${raw(`c${i + 1}`)}`);
  return sql` cross join lateral (select ${join(named, ', ')} offset 0) ${raw(alias)}`;
}

/** Aliases of joins that a piece of SQL reads from; names in quotes may add some that it does not. */
function aliasesIn(expression: Sql): ReadonlySet<string> {
  return new Set(render(expression).text.match(/\b[fjw]\d+(?=\.)/g));
}

/** A planned record's key is that of the record at an alias. */
function sameKey(planned: Sql, alias: Sql, type: RecordType): Sql {
  return join(
    keyColumns(type, alias).map((c, i) => sql`${planned}.${raw(`k${i + 1}`)} = ${c}`),
    ' and ',
  );
}

/** Where a type's records are read from: its table or, of it, what a person may see. */
export function tableOf(type: RecordType): Sql {
  return type.limits?.source ?? writtenTable(type);
}

/** Where a type's records are written. */
export function writtenTable(type: RecordType): Sql {
  return identifier(type.schema, type.table);
}
