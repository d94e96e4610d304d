import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import { exitCodes } from '../exit';
import { readJsonFile } from '../options';
import { out, talk } from '../output';
import { UsageError } from '../trouble';
import { acting } from './verb';

type Taken = 'refuse' | 'skip' | 'replace';

/** What is saved under names: it is deleted by name, and goes out as a file and comes in again. */
export interface Filed<O> {
  readonly drop: (name: string) => Promise<void>;
  /** What the file holds, in a few words. */
  readonly about: string;
  readonly read: () => Promise<{ text(): Promise<string> }>;
  /** The names of what was taken. */
  readonly take: (file: unknown, taken: Taken, options: O) => Promise<readonly { readonly name: string }[]>;
}

/** Adds `delete`, `export` and `import`, to which the caller may add options of its own. */
export function withFile<O extends object>(group: Command, { drop, about, read, take }: Filed<O>): Command {
  group
    .command('delete')
    .argument('<name>')
    .action(
      acting(async (name: string) => {
        await drop(name);
        talk(`Deleted “${name}”.`);
      }),
    );
  group
    .command('export')
    .argument('[file]')
    .description(`${about}; to standard output without a file`)
    .action(
      acting(async (path: string | undefined) => {
        const text = await (await read()).text();
        if (path === undefined) return out(text);
        writeFileSync(path, text);
        talk(`Written to ${path}.`);
      }),
    );
  return group
    .command('import')
    .argument('<file>', '- for standard input')
    .option('--taken <how>', 'where a name is taken: refuse, skip or replace', 'refuse')
    .action(
      acting(async (file: string, o: O & { taken: string }) => {
        if (!['refuse', 'skip', 'replace'].includes(o.taken))
          throw new UsageError(`--taken is refuse, skip or replace, not “${o.taken}”.`);
        const saved = await take(readJsonFile(file), o.taken as Taken, o);
        talk(saved.length === 0 ? 'Nothing was taken.' : `Taken: ${saved.map((s) => s.name).join(', ')}.`);
        return saved.length === 0 ? exitCodes.nothingToDo : exitCodes.done;
      }),
    );
}
