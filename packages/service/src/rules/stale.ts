import { alongOf, walk, type OwnRule, type WorkOrder } from '@tantamos/core';
import type { Database } from '../database/database';

/** A rule with when it was last counted. */
export interface Counted {
  readonly name: string;
  readonly type: string;
  readonly rule: OwnRule;
  readonly countedAt: Date;
}

/** So many of the newest runs are looked at; more than that since a count make it stale in any case. */
const mostRuns = 500;

/** Names of rules whose count is older than the last run that may have changed it, or than a run that is at work. */
export async function staleRules(database: Database, counted: readonly Counted[]): Promise<ReadonlySet<string>> {
  if (counted.length === 0) return new Set();
  const oldest = new Date(Math.min(...counted.map((c) => c.countedAt.getTime())));
  const runs = await database.rows<{ at: Date; order: WorkOrder }>(
    `select r.at, p.work_order as order from (
       select preview, started_at, case when state in ('queued', 'running', 'pausing', 'stopping') then clock_timestamp()
         else coalesce(ended_at, state_at) end as at from tantamos.run) r
     join tantamos.preview p on p.id = r.preview where r.at > $1 order by r.at desc limit ${mostRuns}`,
    [oldest],
  );
  const isStale = ({ type, rule, countedAt }: Counted): boolean => {
    const reads = readsOf(type, rule);
    return runs.length === mostRuns || runs.some(({ at, order }) => at > countedAt && touches(order, reads));
  };
  return new Set(counted.filter(isStale).map((c) => c.name));
}

/** Type → the fields of it that a rule reads; null: whichever of its records there are. */
type Reads = ReadonlyMap<string, ReadonlySet<string> | null>;

function readsOf(type: string, rule: OwnRule): Reads {
  const reads = new Map<string, Set<string> | null>();
  const add = (of: string, field: string): void => {
    const fields = reads.get(of);
    if (fields === null) return;
    reads.set(of, (fields ?? new Set()).add(field));
  };
  for (const field of rule.fields) add(type, field);
  walk(rule.broken, (node) => {
    if (node.kind === 'field') {
      for (const step of node.at.through) add(step.from.id, step.field.name);
      add(node.at.type.id, node.at.field.name);
    }
    if (node.kind === 'children') reads.set(node.relation.child.id, null);
  });
  return reads;
}

function touches(order: WorkOrder, reads: Reads): boolean {
  const isAbout = (type: string, fields: readonly string[] | null): boolean => {
    if (!reads.has(type)) return false;
    const read = reads.get(type);
    return !read || fields === null || fields.some((f) => read.has(f));
  };
  return (
    order.parts.some((p) => isAbout(p.type, p.act === 'update' ? p.writes : null)) ||
    alongOf(order).some(({ entry }) =>
      isAbout(entry.type, entry.act === 'create' || entry.act === 'delete' ? null : [entry.by]),
    )
  );
}
