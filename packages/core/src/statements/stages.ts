import { emit } from '../language/emit';
import { Scope } from '../language/scope';
import type { Checked } from '../language/checked';
import type { CheckedSelection } from '../language/checked';
import { join, raw, sql, type Sql } from '../sql/sql';
import { conditionOf } from '../language/emit';

/** How many of a selection without its own condition each of some conditions holds for, in one pass: `n1`, `n2` … */
export function conditionCounts(selection: CheckedSelection, conditions: readonly Checked[]): Sql {
  return countsAmong({ ...selection, condition: null, take: null, keys: null, drop: null }, conditions);
}

/** Of how many of a selection each of some conditions holds, in one pass: `n1`, `n2` … */
export function countsAmong(selection: CheckedSelection, conditions: readonly Checked[]): Sql {
  const scope = new Scope(selection.type, selection.env);
  const tests = conditions.map((c, i) => sql`${emit(c, scope)} as ${raw(`k${i + 1}`)}`);
  const base = conditionOf(selection, scope);
  const counts = conditions.map((_, i) => raw(`count(*) filter (where k${i + 1}) as n${i + 1}`));
  return sql`select ${join(counts, ', ')} from (select ${join(tests, ', ')} from ${scope.from()} where ${base} offset 0) r`;
}

/** Each is counted with all the others: beyond so many, those that are left are one. */
export const mostConditions = 40;

/** The conditions that must all hold, outermost AND taken apart; at most `mostConditions`, the last of them of all the rest. */
export function conditionsOf(selection: CheckedSelection): readonly Checked[] {
  const { condition } = selection;
  if (!condition) return [];
  if (condition.kind !== 'and') return [condition];
  const [apart, rest] = firstOf(condition.operands);
  return rest.length === 0 ? apart : [...apart, { kind: 'and', operands: rest }];
}

/** The first, and what is left to be one. */
export function firstOf<T>(conditions: readonly T[]): [readonly T[], readonly T[]] {
  if (conditions.length <= mostConditions) return [conditions, []];
  return [conditions.slice(0, mostConditions - 1), conditions.slice(mostConditions - 1)];
}

/**
 * How each condition narrows a selection, in one pass: one row with `base` (before the conditions), `upto_1` … (after
 * each in turn), `without_1` … (all but that one) and `alone_1` … (only that one).
 */
export function stageCounts(selection: CheckedSelection): Sql {
  const scope = new Scope(selection.type, selection.env);
  // Each condition stands in the statement once, however often it is counted with.
  const tests = conditionsOf(selection).map((c, i) => sql`${emit(c, scope)} as ${raw(`k${i + 1}`)}`);
  const conditions = tests.map((_, i) => raw(`k${i + 1}`));
  const base = conditionOf({ ...selection, condition: null, list: null, take: null, keys: null, drop: null }, scope);
  const counted = (all: readonly Sql[], name: string): Sql => {
    const filter = all.length > 0 ? sql` filter (where ${join(all, ' and ')})` : raw('');
    return sql`count(*)${filter} as ${raw(name)}`;
  };
  const columns = conditions.flatMap((condition, i) => [
    counted(conditions.slice(0, i + 1), `upto_${i + 1}`),
    counted(
      conditions.filter((_, j) => j !== i),
      `without_${i + 1}`,
    ),
    counted([condition], `alone_${i + 1}`),
  ]);
  const rows = sql`select ${join([raw('true as found'), ...tests], ', ')} from ${scope.from()} where ${base} offset 0`;
  return sql`select ${join([raw('count(*) as base'), ...columns], ', ')} from (${rows}) r`;
}
