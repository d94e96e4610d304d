import type { Pool } from 'pg';

/** A mark of every record there is: by table and key. */
export type Records = ReadonlyMap<string, ReadonlyMap<string, string>>;

export async function recordsOf(db: Pool): Promise<Records> {
  const { rows } = await db.query<{ name: string; key: string }>(
    `select c.relname as name, a.attname as key from pg_class c join pg_index i on i.indrelid = c.oid and i.indisprimary
     join pg_attribute a on a.attrelid = c.oid and a.attnum = i.indkey[0]
     where c.relnamespace = 'public'::regnamespace and c.relkind = 'r' and cardinality(i.indkey) = 1`,
  );
  const all = new Map<string, Map<string, string>>();
  for (const { name, key } of rows) {
    const found = await db.query<{ k: string; h: string }>(
      `select "${key}"::text as k, md5(t::text) as h from "${name}" t`,
    );
    all.set(name, new Map(found.rows.map((r) => [r.k, r.h])));
  }
  return all;
}

/** Records that are others than before, in words, but for those that a run has changed. */
export async function changedWithoutRun(db: Pool, before: Records): Promise<string[]> {
  const { rows } = await db.query<{ type: string; k: string }>(
    `select distinct p.work_order -> 'parts' -> b.part ->> 'type' as type, k.k
     from tantamos.run r join tantamos.preview p on p.id = r.preview join tantamos.batch b on b.preview = p.id,
       unnest(b.keys) k(k)`,
  );
  const byRun = new Set(rows.map((r) => `${r.type} ${r.k}`));
  const now = await recordsOf(db);
  const changed: string[] = [];
  for (const [table, records] of before)
    for (const key of new Set([...records.keys(), ...now.get(table)!.keys()]))
      if (records.get(key) !== now.get(table)!.get(key) && !byRun.has(`${table} ${key}`))
        changed.push(`${table} ${key}`);
  return changed;
}
