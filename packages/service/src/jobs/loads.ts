import {
  asText,
  conditionOf,
  emit,
  join,
  levelled,
  Scope,
  sql,
  value,
  type Checked,
  type CheckedJob,
  type CheckedJobPart,
  type CheckedSelection,
  type Load,
  type Sql,
} from '@tantamos/core';
import type { Database } from '../database/database';

/** Counts what those have now among whom records are to be levelled: the job that comes back says who gets which place. */
export async function withLoads(database: Database, job: CheckedJob): Promise<CheckedJob> {
  const then = [];
  for (const part of job.then) then.push(await levelledPart(database, part));
  return { ...job, ...(await levelledPart(database, job)), then };
}

async function levelledPart<P extends CheckedJobPart>(database: Database, job: P): Promise<P> {
  const changes = await Promise.all(
    job.changes.map(async (change) => {
      if (change.value.from !== 'place' || change.value.place.level === null) return change;
      const { values, loads } = change.value.place.level;
      const texts = values.map(textOf);
      const found = await database.ask<{ who: string; n: number }>(
        join(
          loads.map((load) => countOf(load, texts, job.selection)),
          ' union all ',
        ),
      );
      const sums = new Map<string, number>();
      for (const { who, n } of found) sums.set(who, (sums.get(who) ?? 0) + n);
      return levelled(
        change,
        texts.map((text) => sums.get(text) ?? 0),
      );
    }),
  );
  return { ...job, changes };
}

/** Rows of `who` and `n`. Records that are about to be dealt out are nobody's. */
function countOf({ type, field, condition }: Load, values: readonly string[], selection: CheckedSelection): Sql {
  const scope = new Scope(type, selection.env);
  const who = asText(scope.own(field.name));
  const only = condition ? [emit(condition, scope)] : [];
  const dealt = type.id === selection.type.id ? [sql`(${conditionOf(selection, scope)}) is not true`] : [];
  const where = join([sql`${who} = any(${value(values)}::text[])`, ...only, ...dealt], ' and ');
  return sql`select ${who} as who, count(*) as n from ${scope.from()} where ${where} group by 1`;
}

function textOf(tree: Checked): string {
  if (tree.kind !== 'value') throw new Error('Whose load is to be counted is not known yet.');
  return tree.text;
}
