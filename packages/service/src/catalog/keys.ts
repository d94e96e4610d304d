import type { ColumnRow, ConstraintRow, introspect, TableRow } from './introspect';

type Read = Pick<Awaited<ReturnType<typeof introspect>>, 'tables' | 'columns' | 'constraints'>;

/**
 * What records of each table are known by: names of columns, in the key's order; none where there is no such key. A view
 * that the database itself can change has the key of the table under it, if it shows all of it.
 */
export function keysOf({ tables, columns, constraints }: Read): (oid: number) => readonly string[] {
  const columnsAt = groupBy(columns);
  const constraintsAt = groupBy(constraints);
  const tableAt = new Map(tables.map((t) => [t.oid, t]));
  const keyOf = (oid: number): readonly string[] => {
    const own = columnsAt.get(oid) ?? [];
    const view = shownBy(tableAt.get(oid));
    if (!view) return keyColumns(constraintsAt.get(oid) ?? [], own);
    const under = columnsAt.get(view.table) ?? [];
    const shown = keyOf(view.table).map((name) => {
      const at = view.columns.get(under.find((c) => c.name === name)?.number ?? 0);
      return own.find((c) => c.number === at)?.name;
    });
    return shown.every((name) => name !== undefined) ? shown : [];
  };
  return keyOf;
}

/** The primary key or, where there is none, the first unique key that no null and no later moment can get round. */
function keyColumns(constraints: readonly ConstraintRow[], columns: readonly ColumnRow[]): readonly string[] {
  const primary = constraints.find((c) => c.kind === 'p');
  if (primary) return primary.columns;
  const required = (name: string): boolean => columns.some((c) => c.name === name && c.required);
  const unique = constraints
    .filter((c) => c.kind === 'u' && !c.deferrable && c.columns.every(required))
    .sort((a, b) => a.columns.length - b.columns.length);
  return unique[0]?.columns ?? [];
}

/**
 * The one table a view shows, and which of its columns (by number) stands where in the view. Its tree names for each column
 * of the result where that comes from; a subquery's columns are printed before the view's own, so that the last of a place
 * counts (source: outfuncs.c, Query and TargetEntry).
 */
export function shownBy(view: TableRow | undefined): { table: number; columns: Map<number, number> } | undefined {
  if (!view?.view_tree) return undefined;
  const last = new Map<number, { table: number; column: number }>();
  for (const [, place, table, column] of view.view_tree.matchAll(targetEntry))
    last.set(Number(place), { table: Number(table), column: Number(column) });
  const tables = new Set([...last.values()].map((e) => e.table).filter((t) => t > 0));
  const [table] = tables;
  if (tables.size !== 1 || table === undefined) return undefined;
  return { table, columns: new Map([...last].map(([place, { column }]) => [column, place])) };
}
const targetEntry =
  /:resno (\d+) :resname \S+ :ressortgroupref \d+ :resorigtbl (\d+) :resorigcol (\d+) :resjunk false/g;

/**
 * Does a record that is changed through the view stay in it? Else it would be out of sight, and could not be taken back: where a
 * check option holds it in, or there is no condition that it could come to fail, here and in the views under it.
 */
export function holdsIn(view: TableRow, tables: readonly TableRow[]): boolean {
  if (view.check_option === 'cascaded') return true;
  const tree = view.view_tree ?? '';
  // The first is the view's own: what it shows is a table or a view, and has none.
  const isWithout = noCondition.test(tree.slice(Math.max(0, tree.indexOf(':jointree'))));
  if (view.check_option === null && !isWithout) return false;
  const under = tables.find((t) => t.oid === shownBy(view)?.table);
  return under === undefined || under.kind !== 'v' || holdsIn(under, tables);
}
const noCondition = /^:jointree \{FROMEXPR :fromlist \(\{RANGETBLREF :rtindex \d+\}\) :quals <>\}/;

/** Rows by the table they belong to. */
export function groupBy<R extends { oid: number }>(rows: readonly R[]): Map<number, R[]> {
  const groups = new Map<number, R[]>();
  for (const row of rows) {
    const group = groups.get(row.oid);
    if (group) group.push(row);
    else groups.set(row.oid, [row]);
  }
  return groups;
}
