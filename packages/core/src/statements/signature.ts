import { keyOf, type Catalog, type RecordType } from '../catalog/catalog';
import { pathText, resolveColumn } from '../catalog/path';
import { withKeys } from '../language/bind';
import { checkExpression } from '../language/check';
import { walkOwn, type Checked, type FieldPath } from '../language/checked';
import { noContext } from '../language/context';
import { canonicalSql, type Scope } from '../language/emit';
import type { Env } from '../language/functions/entry';
import { parse } from '../language/parse';
import { join, raw, sql, type Sql } from '../sql/sql';
import type { CheckedJob } from '../job/job';

/**
 * What a run must know of its job, kept with the preview: every path whose value went into the signatures, and every
 * field that will be written. Names, not SQL: the statement is compiled anew against the catalog of the moment.
 */
export interface Plan {
  readonly type: string;
  readonly reads: readonly string[];
  readonly writes: readonly string[];
  /** Questions about children, as expressions in which names are keys. */
  readonly asks?: readonly string[];
  /** The time the expressions mean; the moment in microseconds, as text. */
  readonly env?: { readonly timeZone: string; readonly now: string };
}

/** The time a plan's expressions mean. */
export function envOf(plan: Plan): Env {
  return { timeZone: plan.env?.timeZone ?? 'UTC', now: BigInt(plan.env?.now ?? 0) };
}

export function planOf(job: CheckedJob): Plan {
  const { type, condition } = job.selection;
  const writes = job.assignments.map((a) => a.field.name);
  const reads = new Set(writes);
  const add = (path: FieldPath): void => {
    path.through.forEach((_, i) => {
      const step = path.through[i]!;
      const before = path.through.slice(0, i);
      reads.add(pathText({ through: before, type: step.type, field: step.field }));
    });
    reads.add(pathText(path));
  };
  const addAll = (tree: Checked | null): void => {
    if (!tree) return;
    walkOwn(tree, (node) => {
      if (node.kind === 'field') add(node.at);
      if (node.kind !== 'selected') return;
      add(node.key);
      // What the saved selection asks of the record itself is read too.
      if (node.key.through.length === 0 && node.key.field.name === type.key) addAll(node.selection.condition);
    });
  };
  addAll(condition);
  for (const { expression, when } of job.assignments) [expression, when].forEach(addAll);
  for (const rule of rulesTouched(type, writes)) rule.fields.forEach((f) => reads.add(f));
  const { asks, env } = job.selection;
  return {
    type: type.id,
    reads: [...reads].sort(),
    writes,
    ...(asks.length > 0 ? { asks } : {}),
    env: { timeZone: env.timeZone, now: String(env.now) },
  };
}

/** The rules that the database will check again when these fields are written. */
export function rulesTouched(type: RecordType, writes: readonly string[]) {
  return type.rules.filter((rule) => !rule.holdsForAll || rule.fields.some((f) => writes.includes(f)));
}

/**
 * A 64-bit hash of every value the plan reads, under one snapshot. Types with a hash that tells all their values apart
 * are hashed as they are; the rest by their text.
 */
export function signature(plan: Plan, catalog: Catalog, scope: Scope): Sql {
  const type = catalog.type(plan.type);
  const values = plan.reads.map((text) => {
    const path = resolveColumn(catalog, type, text);
    const column = scope.column(path);
    return exactHash.test(path.field.dbType) ? column : sql`${column}::text`;
  });
  const context = { ...noContext, env: envOf(plan) };
  const answers = (plan.asks ?? []).map((text) =>
    canonicalSql(withKeys(checkExpression(parse(text), catalog, type, context)), scope),
  );
  return sql`hash_record_extended(row(${join([...values, ...answers], ', ')}), 0)`;
}
const exactHash = /^(smallint|integer|bigint|numeric|boolean|date|timestamp|uuid|text|character varying)/;

/** A field's value as the text it is frozen as. */
export function asText(column: Sql): Sql {
  return sql`${column}::text`;
}

/** Frozen key texts back as keys. */
export function keyFromText(type: RecordType, text: Sql): Sql {
  return sql`${text}::${raw(keyOf(type).dbType)}`;
}
