import { randomUUID } from 'node:crypto';
import type { JobBody } from '@tantamos/contract';
import { readJob, withJobOptions, type JobOptions } from '../job-options';
import { client } from '../session';
import { UsageError } from '../trouble';
import { remember } from '../recent';
import { finish } from './preview';
import { acting, type Verb } from './verb';

type Options = JobOptions & { readonly format: string; readonly for?: string };

/** Records as a whole: made for others or as copies of some, and deleted. Both are previews, run like any other. */
export const whole: Verb = (program) => {
  withJobOptions(
    program
      .command('create')
      .argument('<type>')
      .description('preview new records: one for each of others (--for), or copies of some (--copies)'),
  )
    .option('--for <type>', 'one for each of these, which --filter and the like narrow; --with says what it gets')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (type: string, o: Options) => {
        if (o.copies && o.for !== undefined) throw new UsageError('Say --for or --copies, not both.');
        if (o.copies) return worked(await readJob(client(), type, o), o);
        if (o.for === undefined)
          throw new UsageError(`Say for which records one is made (--for TYPE), or --copies to copy some of ${type}.`);
        const job = await readJob(client(), o.for, { ...o, makes: type });
        return worked(job.also?.length ? job : { ...job, also: [{ type, values: [] }] }, o);
      }),
    );

  withJobOptions(
    program
      .command('delete')
      .argument('<type>')
      .description('preview that records are deleted: what would go with them, and what is in the way'),
  )
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (type: string, o: Options) => worked({ ...(await readJob(client(), type, o)), act: 'delete' }, o)),
    );
};

async function worked(job: JobBody, { format }: Options): Promise<number> {
  const api = client();
  remember('preview', null);
  return finish(api, await api.makePreview(job, { once: randomUUID() }), format);
}
