import type { DraftBody, SampleBody, SampleView } from '@tantamos/contract';
import {
  countRecords,
  jobSentence,
  outcomeOf,
  ProblemError,
  type CheckedJob,
  type Job,
  type Problem,
} from '@tantamos/core';
import { countVerdicts, sampleRows } from '../../engine/statements/sample';
import { asProblem } from '../../database/problems';
import type { Person } from '../../accounts/rights';
import type { Services } from '../../services';
import type { Handler } from '../handler';
import { gone } from '../patience';
import { seenSelection } from '../seen-type';
import { placed, plainJob } from '../selection';
import { journalRecords } from '../views';

const longestCount = 20_000;

/** What a job that is still being composed would do: nothing is frozen, and problems are part of the answer. */
export const sample: Handler<SampleBody> = async ({ services, person, body, res }) => {
  const { database } = services;
  const { keys = [] } = body;
  const job = plainJob(body.job);
  await seenSelection(services, person, job.selection);
  const { selection, catalog, context } = await placed(body.job.selection, job.selection, () =>
    services.compiler.selection(person, job.selection),
  );
  const given = gone(res);
  const compiled = await tryCompile(services, person, job);
  if (!compiled.job) {
    const counted = await database
      .askWithin<{ count: number }>(countRecords(selection), longestCount, given)
      .catch(asProblem);
    const matched = counted[0]?.count ?? 0;
    return {
      sentence: jobSentence(job, catalog, context, matched),
      matched,
      counts: null,
      rows: [],
      problems: compiled.problems,
    } satisfies SampleView;
  }
  const verdicts = await database
    .askWithin<{ verdict: string; count: number }>(countVerdicts(compiled.job), longestCount, given)
    .catch(asProblem);
  const of = (outcome: string): number => verdicts.find((v) => outcomeOf(v.verdict) === outcome)?.count ?? 0;
  const dropped = new Set(job.selection.drop);
  const picked = job.selection.keys && new Set(job.selection.keys);
  const inSight = keys.filter((k) => !dropped.has(k) && (!picked || picked.has(k)));
  const rows =
    inSight.length > 0
      ? await database
          .askWithin<Record<string, string | null>>(sampleRows(compiled.job, inSight), longestCount, given)
          .catch(asProblem)
      : [];
  const matched = verdicts.reduce((sum, v) => sum + v.count, 0);
  return {
    sentence: jobSentence(job, catalog, context, matched),
    matched,
    counts: { willChange: of('not_yet'), alreadyRight: of('already_right'), notAllowed: of('not_allowed') },
    rows: await journalRecords(
      database,
      catalog,
      rows.map((r) => journalRow(r, compiled.job)),
    ),
    problems: [],
  } satisfies SampleView;
};

export const draft: Handler = async ({ services, person }) =>
  (await services.database.one('select job, saved_at as "savedAt" from tantamos.draft where account = $1', [
    person.id,
  ])) ?? { job: null, savedAt: null };

/** Where nothing can be written a draft lasts as long as the page. */
const isLocked = ({ readOnly, isCopy }: Services): boolean => readOnly !== null && !isCopy;

export const keepDraft: Handler<DraftBody> = async ({ services, person, body }) => {
  if (isLocked(services)) return { job: body.job, savedAt: null };
  return services.database.one(
    `insert into tantamos.draft (account, job) values ($1, $2)
     on conflict (account) do update set job = excluded.job, saved_at = now() returning job, saved_at as "savedAt"`,
    [person.id, body.job],
  );
};

export const dropDraft: Handler = async ({ services, person }) => {
  if (isLocked(services)) return;
  await services.database.rows('delete from tantamos.draft where account = $1', [person.id]);
};

async function tryCompile(
  { compiler }: Services,
  person: Person,
  job: Job,
): Promise<{ job: CheckedJob; problems: [] } | { job: null; problems: readonly Problem[] }> {
  if (job.edits.length === 0) return { job: null, problems: [] };
  try {
    return { job: (await compiler.job(person, job)).job, problems: [] };
  } catch (error) {
    if (error instanceof ProblemError) return { job: null, problems: error.problems };
    throw error;
  }
}

function journalRow(row: Record<string, string | null>, job: CheckedJob) {
  return {
    type: job.selection.type.id,
    key: row.key!,
    outcome: outcomeOf(row.verdict!),
    cause: row.cause ?? null,
    mark: '',
    changes: job.changes.map((c, i) => ({
      field: c.field.name,
      old: row[`old_${i + 1}`] ?? null,
      new: row[`new_${i + 1}`] ?? null,
    })),
  };
}
