import type { savedJobRoutes } from '@tantamos/contract';
import { constantsOf } from '@tantamos/core';
import { sent, type Handlers } from '../http/handler';
import { knownPreview, settledView } from '../previews/http';
import { plainJob } from '../selections/plain';
import { namesIn } from './bound';
import { fileOf, takeFile } from './file';

export const savedJobHandlers: Handlers<typeof savedJobRoutes> = {
  async savedJobs({ services, seen }) {
    return services.savedJobs.list(seen);
  },

  async saveJob({ services, seen, body }) {
    return services.savedJobs.save(seen, body);
  },

  async constants({ services, seen, body }) {
    const job = plainJob(body);
    const names = await namesIn(services.database, job, seen.catalog);
    return constantsOf(job, seen.catalog).map((c) => {
      const name = c.type === null ? undefined : names[c.type]?.[c.text];
      return { ...c, shown: name ?? c.choices?.find((x) => x.value === c.text)?.label ?? c.text };
    });
  },

  async savedJob({ services, seen, params }) {
    return services.savedJobs.get(seen, params.name!);
  },

  async savedJobVersions({ services, seen, params }) {
    return services.savedJobs.versions(seen, params.name!);
  },

  async useJob(call) {
    const { services, seen, params, body, madeAs } = call;
    const { id, job, lastPreview } = await services.savedJobs.toUse(seen, params.name!, body.inputs ?? {}, body.why);
    // One that has been forgotten, or that the person may not see, is nothing to compare with.
    const before =
      lastPreview && (await knownPreview({ ...call, params: { id: lastPreview } }).catch(() => null))
        ? lastPreview
        : null;
    const preview = await services.previews.begin(
      before ? { ...job, after: before } : job,
      seen,
      madeAs,
      services.savedJobs.used(id, seen.person.id),
    );
    return settledView(call, preview);
  },

  async dropSavedJob({ services, seen, params }) {
    await services.savedJobs.drop(seen, params.name!);
  },

  async savedJobsFile({ services, seen, res }) {
    const all = await services.savedJobs.list(seen);
    res.setHeader('Content-Disposition', 'attachment; filename="jobs.json"');
    res.type('application/json').send(await fileOf(services.database, seen.catalog, all));
    return sent;
  },

  async importJobs({ services, seen, body }) {
    const { context } = await services.compiler.context(seen, []);
    return takeFile(services, seen, context, body);
  },
};
