import { emit } from '../language/emit';
import { Scope } from '../language/scope';
import type { Checked } from '../language/checked';
import type { CheckedSelection } from '../selection/selection';
import { join, raw, sql, type Sql } from '../sql/sql';
import { conditionOf } from './which';

/** The conditions that must all hold, outermost AND taken apart. */
export function conditionsOf(selection: CheckedSelection): readonly Checked[] {
  const { condition } = selection;
  if (!condition) return [];
  return condition.kind === 'and' ? condition.operands : [condition];
}

/**
 * How each condition narrows a selection, in one pass: one row with `base` (before the conditions), `upto_1` … (after
 * each in turn), `without_1` … (all but that one) and `alone_1` … (only that one).
 */
export function stageCounts(selection: CheckedSelection): Sql {
  const scope = new Scope(selection.type, selection.env);
  const conditions = conditionsOf(selection).map((c) => emit(c, scope));
  const base = conditionOf({ ...selection, condition: null, list: null, take: null, keys: null, drop: null }, scope);
  const counted = (tests: readonly Sql[], name: string): Sql => {
    const filter = tests.length > 0 ? sql` filter (where ${join(tests, ' and ')})` : raw('');
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
  return sql`select ${join([raw('count(*) as base'), ...columns], ', ')} from ${scope.from()} where ${base}`;
}
