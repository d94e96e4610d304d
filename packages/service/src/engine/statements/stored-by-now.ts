import { asText, join, keyIs, raw, Scope, sql, value, type Env, type RecordType, type Sql } from '@tantamos/core';
import { letter, valueJoins } from './rows';

/** How many records that a run's part changed are not as they were stored: `count`, those no longer there as `gone`, and `examples` (keys). */
export function storedByNow(
  runId: string,
  part: number,
  { type, writes, env }: { type: RecordType; writes: readonly string[]; env: Env },
): Sql {
  const scope = new Scope(type, env);
  const arrays = writes.map((_, i) => raw(`, unnest(v${i + 1}.new[s.low + 1:s.high])`));
  const names = writes.map((_, i) => raw(`, new_${i + 1}`));
  const differs = writes.map((f, i) => {
    const altered = sql`s.altered -> ${value(f)}::text`;
    const stored = sql`case when (${altered}) ? i.n::text then (${altered}) ->> i.n::text else ${raw(`i.new_${i + 1}`)} end`;
    return sql`${asText(scope.own(f))} is distinct from ${stored}`;
  });
  return sql`
    select count(*)::int as count, count(*) filter (where not present)::int as gone, (array_agg(key))[1:20] as examples from (
      select i.key, ${scope.keys()[0]!} is not null as present from tantamos.run_batch s
      join tantamos.run on run.id = s.run
      join tantamos.batch b on b.preview = run.preview and b.position = s.batch
      ${valueJoins(writes, 'b.preview', 'b.position')}
      cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null)${join(arrays, '')})
        with ordinality i(key, outcome${join(names, '')}, n)
      left join ${scope.from()} on ${keyIs(type, scope.root, raw('i.key'))}
      where s.run = ${value(runId)}::uuid and s.part = ${value(part)}::int and i.outcome = ${letter('changed')}
        and (${scope.keys()[0]!} is null or ${join(differs, ' or ')})) d`;
}
