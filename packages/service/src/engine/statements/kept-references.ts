import {
  identifier,
  sql,
  tableOf,
  value,
  type Field,
  type KeptReference,
  type RecordType,
  type Scope,
  type Sql,
} from '@tantamos/core';

/** More records than this are not changed with one: it would be more than a batch may hold. */
const mostWithOne = 10_000;

/** Why a value that others refer to may not become another: texts, null where it may. */
export function keptByReference(
  type: RecordType,
  kept: readonly KeptReference[],
  changes: readonly { readonly type: RecordType; readonly field: Field; readonly referenced: string }[],
  scope: Scope,
  old: (f: Field) => Sql,
  now: (f: Field) => Sql,
): Sql[] {
  const fieldOf = (name: string): Field => type.fields.find((f) => f.name === name)!;
  const isOther = (f: Field): Sql => sql`${now(f)} is distinct from ${old(f)}`;
  const said = (f: Field, why: string): Sql => sql`${value(`${f.label} cannot change: ${why}.`)}::text`;
  const refusals = kept.map(({ referenced, schema, table, column, why }) => {
    const f = fieldOf(referenced);
    if (column === null) return sql`case when ${isOther(f)} and ${old(f)} is not null then ${said(f, why)} end`;
    const p = identifier(column);
    const found = scope.joined(
      sql`(select distinct ${p} as key from ${identifier(schema, table)} where ${p} is not null)`,
      (alias) => sql`${alias}.key = ${old(f)}`,
    );
    return sql`case when ${isOther(f)} and ${found}.key is not null then ${said(f, why)} end`;
  });
  const many = changes.map(({ type: child, field, referenced }) => {
    const f = fieldOf(referenced);
    const p = identifier(field.name);
    const found = scope.joined(
      sql`(select ${p} as key from ${tableOf(child)} c group by 1 having count(*) > ${value(mostWithOne)})`,
      (alias) => sql`${alias}.key = ${old(f)}`,
    );
    const why = `more than ${mostWithOne.toLocaleString('en-US')} ${child.label.toLowerCase()} refer to it`;
    return sql`case when ${isOther(f)} and ${found}.key is not null then ${said(f, why)} end`;
  });
  return [...refusals, ...many];
}
