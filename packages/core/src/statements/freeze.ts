import { keyOf, type Catalog } from '../catalog/catalog';
import { emit, Scope } from '../language/emit';
import type { Assignment } from '../edits/edit';
import type { CheckedJob } from '../job/job';
import { outcomeLetters } from '../job/outcome';
import { identifier, join, raw, sql, value, type Sql } from '../sql/sql';
import { asText, envOf, keyFromText, planOf, rulesTouched, signature, type Plan } from './signature';
import { conditionOf, type KeyRange } from './which';

/** Records of one preview whose verdicts, old and new values one statement works out and freezes. */
export interface Freeze {
  readonly previewId: string;
  /** Position of the first batch this statement writes. */
  readonly firstPosition: number;
  readonly batchSize: number;
}

/** At most this many different from → to pairs a field are counted one by one. */
export const mostPairs = 200;

/**
 * Freezes what a job would do to the records of a key range. The rows that come back are from → to counts
 * (`field`, `old`, `new`, `count`), and one with `field` null whose `count` is the number of batches written.
 */
export function freezeJob(job: CheckedJob, catalog: Catalog, range: KeyRange, freeze: Freeze): Sql {
  const plan = planOf(job);
  return freezeRows(jobRows(job, plan, catalog, range), plan.writes, freeze);
}

/**
 * Freezes what taking back a stretch of a run's batches would do: the last changed record first, and only where the
 * record still holds what was written.
 */
export function freezeUndo(
  plan: Plan,
  catalog: Catalog,
  runId: string,
  stretch: { from: number; to: number },
  freeze: Freeze,
): Sql {
  return freezeRows(undoRows(plan, catalog, runId, stretch), plan.writes, freeze);
}

/** One row a record: n, key, signature, verdict, cause, old_1, new_1, … in the order of the job. */
export function jobRows(job: CheckedJob, plan: Plan, catalog: Catalog, range: KeyRange): Sql {
  const { type, env } = job.selection;
  const scope = new Scope(type, env);
  const key = sql`${scope.root}.${identifier(keyOf(type).name)}`;
  const columns = job.assignments.flatMap((a, i) => {
    const old = sql`${scope.root}.${identifier(a.field.name)}`;
    return [
      sql`${asText(old)} as ${raw(`old_${i + 1}`)}`,
      sql`${asText(newValue(a, scope))} as ${raw(`new_${i + 1}`)}`,
    ];
  });
  const hash = signature(plan, catalog, scope);
  const where = conditionOf(job.selection, scope, range);
  const broken = brokenRule(job, scope);
  return sql`
    select row_number() over (order by m.sort_key) as n, m.*,
      case when ${allSame(plan)} then ${letter('already_right')}
        when m.cause is not null then ${letter('not_allowed')} else ${letter('not_yet')} end as verdict
    from (select ${key} as sort_key, ${asText(key)} as key, ${hash} as signature, ${broken} as cause, ${join(columns, ', ')}
      from ${scope.from()} where ${where}) m`;
}

function undoRows(plan: Plan, catalog: Catalog, runId: string, stretch: { from: number; to: number }): Sql {
  const type = catalog.type(plan.type);
  const scope = new Scope(type, envOf(plan));
  const key = identifier(keyOf(type).name);
  const now = plan.writes.map((f) => asText(sql`${scope.root}.${identifier(f)}`));
  const written = plan.writes.map((f, i) => {
    const altered = sql`c.altered -> ${value(f)}::text`;
    const at = raw('c.n::text');
    return sql`case when (${altered}) ? ${at} then (${altered}) ->> ${at} else ${raw(`c.new_${i + 1}`)} end`;
  });
  const asWritten = join(
    now.map((n, i) => sql`${n} is not distinct from ${written[i]!}`),
    ' and ',
  );
  const columns = now.map((n, i) => sql`${n} as ${raw(`old_${i + 1}`)}, ${raw(`c.old_${i + 1} as new_${i + 1}`)}`);
  const values = plan.writes.map(
    (f, i) => sql`join tantamos.batch_value ${raw(`v${i + 1}`)} on ${raw(`v${i + 1}`)}.preview = b.preview
        and ${raw(`v${i + 1}`)}.position = b.position and ${raw(`v${i + 1}`)}.field = ${value(f)}`,
  );
  const arrays = plan.writes.map((_, i) =>
    raw(`unnest(v${i + 1}.new[s.low + 1:s.high]), unnest(v${i + 1}.old[s.low + 1:s.high])`),
  );
  const names = plan.writes.map((_, i) => raw(`new_${i + 1}, old_${i + 1}`));
  return sql`
    select row_number() over (order by m.position desc, m.c_n desc) as n, m.*,
      case when m.present and not m.as_written then ${letter('edited_since')} when not m.present then ${letter('gone')}
        when ${allSame(plan)} then ${letter('already_right')} else ${letter('not_yet')} end as verdict
    from (
      select c.position, c.n as c_n, c.key, ${scope.root}.${key} is not null as present, ${asWritten} as as_written,
        ${signature(plan, catalog, scope)} as signature, null::text as cause, ${join(columns, ', ')}
      from (
        select s.position, s.altered, i.* from tantamos.run_batch s
        join tantamos.run on run.id = s.run
        join tantamos.batch b on b.preview = run.preview and b.position = s.batch
        ${join(values, ' ')}
        cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null), ${join(arrays, ', ')})
          with ordinality i(key, outcome, ${join(names, ', ')}, n)
        where s.run = ${value(runId)}::uuid and s.position >= ${value(stretch.from)} and s.position < ${value(stretch.to)}
          and s.changed > 0 and i.outcome = ${letter('changed')}
      ) c
      left join ${scope.from()} on ${scope.root}.${key} = ${keyFromText(type, raw('c.key'))}
    ) m`;
}

function freezeRows(rows: Sql, fields: readonly string[], freeze: Freeze): Sql {
  const id = sql`${value(freeze.previewId)}::uuid`;
  const position = sql`(${value(freeze.firstPosition)}::int + g.chunk)::int`;
  const columns = fields.map((_, i) => raw(`old_${i + 1}, new_${i + 1}`));
  const arrays = fields.map((_, i) =>
    raw(`array_agg(old_${i + 1}) as old_${i + 1}, array_agg(new_${i + 1}) as new_${i + 1}`),
  );
  const inserts = fields.map(
    (field, i) => sql`, ${raw(`value_${i + 1}`)} as (
      insert into tantamos.batch_value (preview, position, field, old, new)
      select ${id}, ${position}, ${value(field)}, ${raw(`g.old_${i + 1}, g.new_${i + 1}`)} from grouped g)`,
  );
  const pairs = fields.map(
    (field, i) => sql`(select ${value(field)}::text, ${raw(`old_${i + 1}, new_${i + 1}`)}, count(*) from matched
      where verdict = ${letter('not_yet')} and ${raw(`old_${i + 1} is distinct from new_${i + 1}`)} group by 2, 3 order by 4 desc, 2, 3 limit ${raw(String(mostPairs + 1))})`,
  );
  return sql`
    with matched as materialized (
      select ((n - 1) / ${value(freeze.batchSize)}::int)::int as chunk, n, key, signature, verdict, cause, ${join(columns, ', ')}
      from (${rows}) ordered
    ), grouped as materialized (
      select chunk, array_agg(key) as keys, array_agg(signature) as signatures, string_agg(verdict, '') as verdicts,
        case when count(cause) > 0 then array_agg(cause) end as causes, ${join(arrays, ', ')}
      from (select * from matched order by chunk, n) m group by chunk
    ), batch as (
      insert into tantamos.batch (preview, position, keys, signatures, verdicts, causes)
      select ${id}, ${position}, g.keys, g.signatures, g.verdicts, g.causes from grouped g
    )${join(inserts, '')}
    select null::text as field, null::text as old, null::text as new, count(*) as count from grouped
    union all ${join(pairs, ' union all ')}`;
}

function newValue(a: Assignment, scope: Scope): Sql {
  const type = raw(a.field.dbType);
  const fresh = sql`(${emit(a.expression, scope)})::${type}`;
  if (a.when === null) return fresh;
  return sql`case when ${emit(a.when, scope)} then ${fresh} else ${scope.root}.${identifier(a.field.name)} end`;
}

/** The message of the first rule the record would break with its new values; null when it breaks none. */
function brokenRule(job: CheckedJob, scope: Scope): Sql {
  const rules = rulesTouched(
    job.selection.type,
    job.assignments.map((a) => a.field.name),
  );
  if (rules.length === 0) return raw('null::text');
  const fields = [...new Set(rules.flatMap((r) => r.fields))];
  const columns = fields.map((name) => {
    const assignment = job.assignments.find((a) => a.field.name === name);
    const column = assignment ? newValue(assignment, scope) : sql`${scope.root}.${identifier(name)}`;
    return sql`${column} as ${identifier(name)}`;
  });
  const cases = rules.map((rule) => sql`when not (${raw(rule.condition)}) then ${value(rule.message)}::text`);
  return sql`(select case ${join(cases, ' ')} end from (select ${join(columns, ', ')}) as record)`;
}

function allSame(plan: Plan): Sql {
  return join(
    plan.writes.map((_, i) => raw(`m.old_${i + 1} is not distinct from m.new_${i + 1}`)),
    ' and ',
  );
}

function letter(outcome: keyof typeof outcomeLetters): Sql {
  return raw(`'${outcomeLetters[outcome]}'`);
}
