import type { jobRoutes } from '@tantamos/contract';
import {
  canonicalKey,
  countRecords,
  jobSentence,
  matchedOf,
  saysWhat,
  sentenceText,
  ProblemError,
  verdictOf,
  within,
  type CheckedJob,
  type Job,
  type Problem,
} from '@tantamos/core';
import { asProblem } from '../database/problems';
import { countVerdicts, sampleRows } from '../engine/statements/sample';
import { gone } from '../http/gone';
import type { Handlers } from '../http/handler';
import type { JournalRow } from '../journal/journal';
import { journalRecords } from '../journal/records';
import type { Seen } from '../rights/seen';
import { placed, plainJob } from '../selections/plain';
import type { Compiler } from './compiler';
import { keepValues } from './keep-values';
import { stepsOf } from './steps';

const longestCount = 20_000;

export const jobHandlers: Handlers<typeof jobRoutes> = {
  /** What a job that is still being composed would do: nothing is frozen, and problems are part of the answer. */
  async sample({ services, seen, body, res }) {
    const { database, compiler } = services;
    const job = plainJob(body.job);
    const { selection, catalog, context } = await placed(body.job.selection, job.selection, () =>
      compiler.selection(seen, job.selection),
    );
    const keys = within('keys', () => (body.keys ?? []).map((key) => canonicalKey(selection.type, key)));
    const moved = gone(res);
    const compiled = await tryCompile(compiler, seen, job);
    if (!compiled.job) {
      const counted = await database
        .askWithin<{ count: number }>(countRecords(selection), longestCount, moved)
        .catch(asProblem);
      const matched = counted[0]?.count ?? 0;
      const sentence = sentenceText(jobSentence(job, catalog, context, [matched]));
      return { sentence, matched, counts: null, rows: [], problems: compiled.problems };
    }
    const counts = await database
      .askWithin<{ verdict: string; count: number }>(countVerdicts(compiled.job), longestCount, moved)
      .catch(asProblem);
    const of = (verdict: string): number => counts.find((v) => verdictOf(v.verdict) === verdict)?.count ?? 0;
    const dropped = new Set(job.selection.drop);
    const picked = job.selection.keys && new Set(job.selection.keys);
    const inSight = keys.filter((k) => !dropped.has(k) && (!picked || picked.has(k)));
    const rows =
      inSight.length > 0
        ? await database
            .askWithin<Record<string, string | null>>(sampleRows(compiled.job, inSight), longestCount, moved)
            .catch(asProblem)
        : [];
    const matched = counts.reduce((sum, v) => sum + v.count, 0);
    return {
      sentence: sentenceText(
        jobSentence(job, catalog, context, matchedOf(compiled.job, [matched]), compiled.job.names),
      ),
      matched,
      counts: { willChange: of('will_change'), alreadyRight: of('already_right'), notAllowed: of('not_allowed') },
      rows: await journalRecords(
        database,
        catalog,
        rows.map((r) => journalRow(r, compiled.job)),
      ),
      problems: [],
    };
  },

  keepValues: ({ services, seen, body }) => keepValues(services, seen, body),

  async formulaSteps({ services, seen, body: { type, key, formula }, res }) {
    const { database, compiler } = services;
    const asked = await compiler.context(seen, [{ type, filter: formula }]);
    const moved = gone(res);
    return stepsOf(database, asked, asked.catalog.type(type), key, formula, (statement) =>
      database.askWithin<Record<string, string | null>>(statement, longestCount, moved).catch(asProblem),
    );
  },
};

async function tryCompile(
  compiler: Compiler,
  seen: Seen,
  job: Job,
): Promise<{ job: CheckedJob; problems: [] } | { job: null; problems: readonly Problem[] }> {
  if (!saysWhat(job)) return { job: null, problems: [] };
  try {
    return { job: (await compiler.job(seen, job)).job, problems: [] };
  } catch (error) {
    if (error instanceof ProblemError) return { job: null, problems: error.problems };
    throw error;
  }
}

function journalRow(row: Record<string, string | null>, job: CheckedJob): JournalRow {
  return {
    type: job.selection.type.id,
    key: row.key!,
    fieldsOf: job.selection.type.id,
    part: 0,
    act: 'update',
    outcome: verdictOf(row.verdict!),
    cause: row.cause ?? null,
    mark: '',
    changes: job.changes.map((c, i) => ({
      field: c.field.name,
      old: row[`old_${i + 1}`] ?? null,
      new: row[`new_${i + 1}`] ?? null,
    })),
  };
}
