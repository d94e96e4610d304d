import { moment, print, readFormat, talk } from '../output';
import { client } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';

export const drafts: Verb = (program) => {
  program
    .command('drafts')
    .description('my unfinished jobs, as the console keeps them')
    .option('--drop <id>', 'drop this one, by the end of its id')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { drop?: string; format: string }) => {
        const api = client();
        const all = await api.drafts();
        const { drop } = o;
        if (drop === undefined) {
          const rows = all.map((d) => [d.id.slice(-8), moment(d.savedAt), d.title]);
          print({ columns: ['id', 'last touched', 'job'], rows }, readFormat(o.format), all);
          if (all.length === 0) talk('No unfinished job.');
          return;
        }
        const fits = all.filter((d) => drop.length >= 6 && d.id.endsWith(drop.toLowerCase()));
        if (fits.length !== 1) throw new UsageError(`“${drop}” is not the end of the id of one unfinished job.`);
        await api.dropDraft(fits[0]!.id);
        talk(`Dropped: ${fits[0]!.title}.`);
      }),
    );
};
