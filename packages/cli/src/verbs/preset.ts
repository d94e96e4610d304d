import { moment, print, readFormat, talk } from '../output';
import { alsoIn, presetNamed, withGivenOptions } from '../part-options';
import { client } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';

/** What new records of a type are often given, kept under names for --also and create. */
export const preset: Verb = (program) => {
  const group = program
    .command('preset')
    .description('values of new records, kept under names (--also TYPE --preset NAME)');
  group
    .command('list', { isDefault: true })
    .description('all that are kept')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().presets();
        const rows = all.map((p) => [p.name, p.type, p.trouble ?? p.sentence, p.savedBy, moment(p.savedAt)]);
        print(
          { columns: ['name', 'type', 'what they get', 'kept by', 'kept'], whole: ['what they get'], rows },
          readFormat(o.format),
          all,
        );
        if (all.length === 0) talk('None is kept: tantamos preset keep NAME TYPE --with FIELD=VALUE');
      }),
    );
  withGivenOptions(
    group.command('keep').arguments('<name> <type>').description('keep values under a name, or others under the same'),
  ).action(
    acting(async (name: string, type: string, o: object) => {
      const edits = alsoIn(o)[0]?.values ?? [];
      if (edits.length === 0) throw new UsageError('Say what they get: --with FIELD=VALUE, or --with-computed.');
      const kept = await client().keepPreset({ name, type, edits });
      talk(`Kept “${kept.name}” for ${kept.typeLabel.toLowerCase()}: ${kept.sentence}.`);
    }),
  );
  group
    .command('forget')
    .argument('<name>')
    .description('forget it; what was made with it stays')
    .option('--type <type>', 'of which type, where several have one of that name')
    .action(
      acting(async (name: string, o: { type?: string }) => {
        const api = client();
        const { id, name: called } = await presetNamed(api, name, o.type);
        await api.dropPreset(id);
        talk(`Forgot “${called}”.`);
      }),
    );
};
