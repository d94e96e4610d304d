import { randomUUID } from 'node:crypto';
import type { JobBody } from '@tantamos/contract';
import { readJob, withJobOptions, type JobOptions } from '../job-options';
import { wholeNumber } from '../options';
import { client } from '../session';
import { UsageError } from '../trouble';
import { remember } from '../recent';
import { finish } from './preview';
import { acting, type Verb } from './verb';

type Options = JobOptions & { readonly format: string; readonly for?: string; readonly count?: number };

/** Records as a whole: made for others or as copies of some, and deleted. Both are previews, run like any other. */
export const whole: Verb = (program) => {
  withJobOptions(
    program
      .command('create')
      .argument('<type>')
      .description(
        'preview new records: some by themselves, one for each of others (--for), or copies of some (--copies)',
      ),
  )
    .option('--for <type>', 'one for each of these, which --filter and the like narrow; --with says what it gets')
    .option('--count <n>', 'without --for and --copies: so many new ones (1)', wholeNumber('--count'))
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (type: string, o: Options) => {
        if (o.copies && o.for !== undefined) throw new UsageError('Say --for or --copies, not both.');
        if (o.copies) return worked(await readJob(client(), type, o), o);
        if (o.for === undefined) return worked(await plain(type, o), o);
        if (o.count !== undefined)
          throw new UsageError('--count is of new records that are for none: leave out --for.');
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

/** New records that are for none: --with says what they get. */
async function plain(type: string, o: Options): Promise<JobBody> {
  const { also, edits, selection, ...rest } = await readJob(client(), type, { ...o, makes: type });
  const { type: _, ...asked } = selection;
  if (Object.keys(asked).length > 0)
    throw new UsageError(`Say --for TYPE to make one for each of these, or --copies to copy these ${type}.`);
  const [made, ...more] = also ?? [];
  if (more.length > 0) throw new UsageError('--also goes with --for: new records are made by themselves first.');
  const given = [...(made?.values ?? []), ...edits];
  if (given.length === 0)
    throw new UsageError(
      `Say what the new record gets (--with FIELD=VALUE), for which records one is made (--for TYPE), or --copies to copy some of ${type}.`,
    );
  return { ...rest, selection: { type }, act: 'create', from: { rows: o.count ?? 1 }, edits: given };
}

async function worked(job: JobBody, { format }: Options): Promise<number> {
  const api = client();
  remember('preview', null);
  return finish(api, await api.makePreview(job, { once: randomUUID() }), format);
}
