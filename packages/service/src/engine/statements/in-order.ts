import {
  keyColumns,
  othersRead,
  raw,
  readsOf,
  Scope,
  sql,
  tableOf,
  type CheckedPart,
  type OtherRead,
  type Sql,
} from '@tantamos/core';
import { letter, sameAs } from './rows';

// Records of one part that read what the part writes on others of them: readers are to go before what they read.
// `rows` is a table as `partRows` gives them, and `reads` one of pairs (reader, read) of their places.

/** Which records that will change read which: one statement for each way, that puts the pairs into `reads`. */
export function readsWithin(part: CheckedPart, rows: Sql, reads: Sql): readonly Sql[] {
  const writes = part.changes.map((c) => c.field.name);
  return readsOf(part)
    .flatMap((tree) => othersRead(tree, part.type, writes))
    .flatMap((way) => [pairsBy(part, way, rows, reads), ...pairsOfMoved(part, way, rows, reads)]);
}

function pairsBy(part: CheckedPart, way: OtherRead, rows: Sql, reads: Sql): Sql {
  const { type, selection } = part;
  const scope = new Scope(type, selection.env);
  if (way.by === 'path') {
    const { alias } = scope.reach(way.path);
    return pairs(
      reads,
      rows,
      sql`a join ${from(scope, 'a')} join ${rows} b on ${sameAs('b', keyColumns(type, alias))}`,
    );
  }
  const { relation } = way.tree;
  const inner = scope.inner(relation.child);
  const at = way.path ? inner.reach(way.path).alias : inner.root;
  const target = way.path ? type : relation.child;
  return pairs(
    reads,
    rows,
    sql`a join ${from(scope, 'a')}
    join ${inner.from()} on ${inner.own(relation.field.name)} = ${scope.key()}
    join ${rows} b on ${sameAs('b', keyColumns(target, at))}`,
  );
}

/** A child that is given another parent is read by that one too, once it is there. */
function pairsOfMoved(part: CheckedPart, way: OtherRead, rows: Sql, reads: Sql): readonly Sql[] {
  if (way.by !== 'children' || way.path !== null) return [];
  const at = part.changes.findIndex((c) => c.field.name === way.tree.relation.field.name);
  if (at < 0) return [];
  const parent = raw(`b.new_${at + 1}::${part.changes[at]!.field.dbType}`);
  return [pairs(reads, rows, sql`a join ${rows} b on a.k1 = ${parent}`)];
}

function pairs(reads: Sql, rows: Sql, joined: Sql): Sql {
  return sql`insert into ${reads} select distinct a.n, b.n from ${rows} ${joined}
    where a.n <> b.n and a.verdict = ${letter('will_change')} and b.verdict = ${letter('not_yet')}`;
}

function from(scope: Scope, alias: string): Sql {
  return sql`${tableOf(scope.type)} ${scope.root} on ${sameAs(alias, scope.keys())}${scope.joins()}`;
}
