import { savedJobsFileKind, type savedJobRoutes } from '@tantamos/contract';
import { constantsOf, fail } from '@tantamos/core';
import { sent, type Handlers } from '../http/handler';
import { knownPreview, settledView } from '../previews/http';
import { plainJob } from '../selections/plain';
import { namesIn } from './bound';

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
    const preview = await services.previews.begin(before ? { ...job, after: before } : job, seen, madeAs);
    await services.savedJobs.used(id, preview, seen.person.id);
    return settledView(call, preview);
  },

  async dropSavedJob({ services, seen, params }) {
    await services.savedJobs.drop(seen, params.name!);
  },

  async savedJobsFile({ services, seen, res }) {
    const jobs = (await services.savedJobs.list(seen)).map(({ name, folder, note, open, job, inputs, look }) => ({
      name,
      folder,
      note,
      open,
      job,
      inputs,
      look,
    }));
    res.setHeader('Content-Disposition', 'attachment; filename="jobs.json"');
    res
      .type('application/json')
      .send(JSON.stringify({ tantamos: savedJobsFileKind, exportedAt: new Date().toISOString(), jobs }));
    return sent;
  },

  async importJobs({ services, seen, body }) {
    const { file, taken = 'refuse' } = body;
    const known = new Set((await services.savedJobs.list(seen)).map((j) => j.name.toLowerCase()));
    const names = file.jobs.map((j) => j.name.trim().toLowerCase());
    const twice = file.jobs.find((_, i) => names.indexOf(names[i]!) !== i);
    if (twice) fail('name_taken', `The file has “${twice.name}” twice.`, { where: 'file' });
    const clash = file.jobs.filter((j) => known.has(j.name.trim().toLowerCase()));
    if (taken === 'refuse' && clash.length > 0)
      fail('name_taken', `These names are taken: ${clash.map((j) => j.name).join(', ')}. Skip them, or replace them.`, {
        where: 'taken',
      });
    return services.savedJobs.saveAll(seen, taken === 'skip' ? file.jobs.filter((j) => !clash.includes(j)) : file.jobs);
  },
};
