import type { Pacing } from './pacing';
import { clip, fail, type Span } from '../problem';
import { identifier, raw, sql, type Sql } from '../sql/sql';
import { closest } from './closest';
import { bases, ofBase, type Base } from './kinds';

export { clip } from '../problem';
export { bases, type Base };

/** What a field is for. */
export type FieldKind = Exclude<Base, 'uuid'> | 'choice' | 'reference' | 'key';
export const fieldKinds: readonly FieldKind[] = [
  ...bases.filter((base) => base !== 'uuid'),
  'choice',
  'reference',
  'key',
];

export interface Choice {
  readonly value: string;
  readonly label: string;
}

export interface Field {
  readonly name: string;
  readonly label: string;
  readonly comment: string | null;
  readonly kind: FieldKind;
  readonly base: Base;
  /** The database's type as it writes it, e.g. `numeric(10,2)`; of a domain the type under it. */
  readonly dbType: string;
  /** The type that its column is declared of, as the database writes it: another than `dbType` where that is a domain. */
  readonly declared: string;
  /** Characters, for text. */
  readonly maxLength: number | null;
  /** Digits in all and after the point, for numbers; scale 0 means whole numbers. */
  readonly precision: number | null;
  readonly scale: number | null;
  readonly choices: readonly Choice[] | null;
  /** Id of the type a reference points at. */
  readonly refersTo: string | null;
  readonly required: boolean;
  readonly unique: boolean;
  /** Null when it may be changed; else the reason in one sentence. */
  readonly notEditable: string | null;
  readonly hidden: boolean;
  readonly protected: boolean;
  /** Left out of the form for several records, unless a rule asks for it. */
  readonly leftOut?: boolean;
  /** Worked out by the database from other fields, so never written. */
  readonly generated: boolean;
  /** What the database puts where nothing is said, as it prints it (source: pg_get_expr, or its sequence); trusted. */
  readonly default: string | null;
}

/** A foreign key of some table at a type: what must be dealt with before a record may go. */
export interface Pointer {
  /** Id of the type that points; null where it cannot be read, or not be seen by the person. */
  readonly type: string | null;
  /** It can be read, but the person may not see it. */
  readonly withheld?: true;
  readonly label: string;
  readonly schema: string;
  readonly table: string;
  /** The fields that point, and those of this type that they point at. */
  readonly fields: readonly string[];
  readonly at: readonly string[];
  readonly onDelete: ReferenceAction;
  /** When a value that it refers to changes. */
  readonly onUpdate: ReferenceAction;
}

/** What the database does with what refers to a record (source: pg_constraint.confdeltype, confupdtype). */
export type ReferenceAction = 'refuse' | 'cascade' | 'set_null' | 'set_default';

/** A row rule of the database (row security) as it holds for the account Tantamos uses; null: none. */
export interface RowRules {
  /** Which records may be changed, and what they may become (source: pg_get_expr); trusted. */
  readonly using: string | null;
  readonly check: string | null;
  /** Which records may be deleted. */
  readonly deleting: string | null;
}

/** A CHECK of the table: evaluated in the preview with the new values in place. */
export interface Rule {
  readonly name: string;
  /** What a person is told when it is broken: the constraint's comment, or one made from its condition. */
  readonly message: string;
  /** The condition as PostgreSQL prints it (source: pg_get_expr); trusted, never from a user. */
  readonly condition: string;
  readonly fields: readonly string[];
  /** False for one added without checking the records that were there (NOT VALID): any update of those fails. */
  readonly holdsForAll: boolean;
  /** It is that of a domain: in its condition the value has the name VALUE, not the field's. */
  readonly ofDomain: boolean;
}

export interface Trigger {
  readonly name: string;
  readonly comment: string | null;
  readonly at: readonly ('insert' | 'update' | 'delete')[];
  /** Null when it fires at any update; else the fields whose change makes it fire. */
  readonly onFields: readonly string[] | null;
}

/** What one run on this type may do. */
export interface Bounds extends Pacing {
  /** More records than this in one run are not allowed; null: no limit. */
  readonly mostRecords: number | null;
  /** From this many on, the number must be typed before the run starts. */
  readonly typedFrom: number;
  readonly largestBatch: number;
}

/** Something of the database that is there and cannot be read: named, with the reason in one sentence. */
export interface Unreadable {
  readonly name: string;
  readonly label: string;
  readonly reason: string;
}

/** What one person may do with only some records of a type; made from their rights. */
export interface Limits {
  /** The records that may be seen, to stand where the table would; null: all. */
  readonly source: Sql | null;
  /** Whether the record at an alias may be changed in these fields, and what is said where not; null: all may. */
  changed(fields: readonly string[], alias: Sql): { readonly allowed: Sql; readonly words: string } | null;
}

/** How keys are made where the database makes none: one more than the highest, one record after another, or a random UUID. */
export const newKeysWays = ['highest', 'uuid'] as const;
export type NewKeys = (typeof newKeysWays)[number];

export interface RecordType {
  /** The table's name; with its schema before it where that is not `public` (see `dotted`). */
  readonly id: string;
  readonly schema: string;
  readonly table: string;
  readonly label: string;
  readonly comment: string | null;
  /** Names of the key's fields, in its order: the primary key or, where there is none, a unique key without nulls. Empty: none. */
  readonly key: readonly string[];
  readonly nameField: string | null;
  readonly ownerFields: readonly string[];
  /** A yes/no field that is No of records that are not to be chosen any more, such as people who left. */
  readonly activeField: string | null;
  /** A condition that says which of its records count as open (language.md); null: all of them. */
  readonly openWhen: string | null;
  /** How keys of new records are made; null: by the database, or they are given. */
  readonly newKeys: NewKeys | null;
  /** The same field, seen or not, where those may not be chosen at all; null where who chooses them is only warned. */
  readonly onlyActive: string | null;
  readonly fields: readonly Field[];
  /** Fields that are there and cannot be read. */
  readonly unreadable: readonly Unreadable[];
  /** Its records have places of their own (ctid) that may be read: a view's have not, and rights by column do not include them. */
  readonly hasPlaces: boolean;
  /** The account may lock it (source: `lock table`): it may update all of it, not some columns alone. */
  readonly isLockable: boolean;
  /** Of a view, the table that is changed through it, through however many views (source: pg_class.oid). */
  readonly shows: number | null;
  /** Its records are in several tables, so that two may have the same place. */
  readonly isPartitioned: boolean;
  readonly rules: readonly Rule[];
  readonly triggers: readonly Trigger[];
  readonly pointers: readonly Pointer[];
  readonly rowRules: RowRules | null;
  /** In the catalog of a person who may see or change only some of its records; else null. */
  readonly limits: Limits | null;
  /** Null when records may be changed; else the reason in one sentence. */
  readonly notChangeable: string | null;
  readonly hidden: boolean;
  readonly bounds: Bounds;
  /** The database's own estimate of the number of records. */
  readonly about: number;
}

/** All record types of the database, as they were when it was read. */
export class Catalog {
  private readonly byId: ReadonlyMap<string, RecordType>;
  constructor(
    readonly types: readonly RecordType[],
    /** What is there and cannot be read; `name` is the id it would have. */
    readonly unreadable: readonly Unreadable[] = [],
  ) {
    this.byId = new Map(types.map((t) => [t.id, t]));
  }

  find(id: string): RecordType | undefined {
    return this.byId.get(id);
  }

  /** The type with this id; throws `unknown_type` with the closest ones. */
  type(id: string): RecordType {
    const found = this.byId.get(id);
    if (found) return found;
    const unread = this.unreadable.find((u) => u.name === id);
    if (unread) return fail('not_permitted', `${unread.label}: ${unread.reason}`);
    const names = this.types.filter((t) => !t.hidden).flatMap((t) => [t.id, t.label]);
    const near = closest(id, names).map((n) => this.types.find((t) => t.label === n)?.id ?? n);
    return fail('unknown_type', `There is no type “${clip(id)}”.`, { suggestions: [...new Set(near)] });
  }
}

/** The field of that name, hidden or not; any case where none is written just so. */
export function fieldNamed(type: RecordType, name: string): Field | undefined {
  const lower = name.toLowerCase();
  return type.fields.find((f) => f.name === name) ?? type.fields.find((f) => f.name.toLowerCase() === lower);
}

/** The field of that name (any case); throws `unknown_field` with the closest names. */
export function fieldOf(type: RecordType, name: string, span?: Span): Field {
  const lower = name.toLowerCase();
  const found = fieldNamed(type, name);
  if (found && !found.hidden) return found;
  const unread = type.unreadable.find((u) => u.name.toLowerCase() === lower);
  if (unread) return fail('not_permitted', `${unread.label} cannot be used: ${unread.reason}`, { span });
  const seen = type.fields.filter((f) => !f.hidden);
  const near = closest(name, [...seen.map((f) => f.name), ...seen.map((f) => f.label)]);
  const suggestions = [...new Set(near.map((n) => seen.find((f) => f.label === n)?.name ?? n))];
  return fail('unknown_field', `${type.label} have no field “${clip(name)}”.`, { span, suggestions });
}

/** A field's column at an alias, as a value of its `dbType`. */
export function columnOf(field: Field, alias: Sql): Sql {
  const column = sql`${alias}.${identifier(field.name)}`;
  // Its operators are those of the type under it.
  return field.declared === field.dbType ? column : sql`(${column})::${raw(field.dbType)}`;
}

/** Values of other kinds have no order, and the database may not even tell whether two are equal. */
export function hasOrder({ base }: Pick<Field, 'base'>): boolean {
  return ofBase(base).compares !== 'nothing';
}
