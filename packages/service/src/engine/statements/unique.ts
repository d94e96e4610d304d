import {
  identifier,
  keyColumns,
  keyText,
  raw,
  said,
  sql,
  writtenTable,
  type CheckedPart,
  type Sql,
} from '@tantamos/core';
import { letter } from './rows';

// Of a field whose every value may be there once: which records would get one that another has, or is to get as well.

/** The places of the part's changes to such fields. */
export function uniqueChanges({ act, changes }: CheckedPart): readonly number[] {
  return act === 'update' ? changes.flatMap(({ field }, i) => (field.unique ? [i] : [])) : [];
}

/**
 * Marks the rows (as `partRows` gives them) that cannot have the value they would get: first those that several are to
 * get, then those whose value a record has that keeps it. What a record of the same job gives up is free.
 */
export function clashes({ type, changes }: CheckedPart, index: number, rows: Sql): readonly Sql[] {
  const { field } = changes[index]!;
  const [old, fresh] = [raw(`old_${index + 1}`), raw(`new_${index + 1}`)];
  const typed = (alias: string): Sql => sql`${raw(alias)}.${fresh}::${raw(field.dbType)}`;
  const willChange = (alias: string): Sql =>
    sql`${raw(alias)}.verdict = ${letter('will_change')} and ${raw(alias)}.${fresh} is not null`;
  const refused = (words: Sql): Sql => sql`verdict = ${letter('not_allowed')}, cause = ${words}`;
  const t = raw('t');
  const key = keyText(keyColumns(type, t));
  const shown = sql`left(r.${fresh}, 60)`;
  const several = said([
    `${field.label}: “`,
    shown,
    '” would be there ',
    raw('c.n::text'),
    ' times; each value may be there once.',
  ]);
  // Whose it is is not told to who may not see all of them.
  const whose = type.limits ? ['another record already.'] : [`the one with the key `, key, ' already.'];
  const taken = said([`${field.label}: “`, shown, '” is that of ', ...whose]);
  return [
    sql`update ${rows} r set ${refused(several)}
      from (select ${typed('o')} as v, count(*) as n from ${rows} o where ${willChange('o')} group by 1 having count(*) > 1) c
      where ${willChange('r')} and ${typed('r')} = c.v`,
    sql`update ${rows} r set ${refused(taken)}
      from ${writtenTable(type)} t
      where ${willChange('r')} and t.${identifier(field.name)} = ${typed('r')} and ${key} <> r.key
        and not exists (select from ${rows} o where o.key = ${key} and o.verdict = ${letter('will_change')}
          and o.${old} is distinct from o.${fresh})`,
  ];
}
