import { identifier, join, raw, sql, value, type Field, type RecordType, type Rule, type Sql } from '@tantamos/core';

// The database's own checks, asked of records as they would become.

/** What is said where a record with these values would break one of these rules of the database. */
export function rulesBroken(type: RecordType, rules: readonly Rule[], values: (f: Field) => Sql): Sql[] {
  if (rules.length === 0) return [];
  const fields = type.fields.filter((f) => rules.some((r) => r.fields.includes(f.name)));
  const broken = (rule: Rule): Sql => sql`when not (${raw(rule.condition)}) then ${value(rule.message)}::text`;
  const ofTable = rules.filter((r) => !r.ofDomain);
  return [
    ...(ofTable.length > 0 ? [asked(type, fields, values, sql`case ${join(ofTable.map(broken), ' ')} end`)] : []),
    ...rules
      .filter((r) => r.ofDomain)
      .map((rule) => {
        const field = fields.find((f) => f.name === rule.fields[0])!;
        return sql`(select case ${broken(rule)} end from (select ${values(field)} as "value") as v)`;
      }),
  ];
}

/**
 * Why a record that goes could never be put back: it breaks a rule that came later than it, which the database would hold
 * against it once it is made again.
 */
export function notPutBack(type: RecordType, values: (f: Field) => Sql): Sql[] {
  const later = type.rules.filter((r) => !r.holdsForAll);
  return rulesBroken(
    type,
    later.map((r) => ({ ...r, message: `It could not be put back: ${r.message}` })),
    values,
  );
}

/** A question about a record, asked in the database's own words, in which fields stand by their bare names. */
export function asked(type: RecordType, fields: readonly Field[], valueOf: (f: Field) => Sql, question: Sql): Sql {
  const columns = fields.map((f) => sql`${valueOf(f)} as ${identifier(f.name)}`);
  return sql`(select ${question} from (select ${join(columns, ', ')}) as ${identifier(type.table)})`;
}
