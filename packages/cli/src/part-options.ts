import type { Client } from '@tantamos/client';
import type { AlsoBody, FollowsBody, JobPartBody, LaterPartBody } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import { Command } from 'commander';
import { readFormula, readValued, saidIn, withEditOptions } from './edit-options';
import type { SaidEdits } from './places';
import { readSelection, withSelectionOptions, type SelectionOptions } from './selection-options';
import { sentAhead } from './send-ahead';
import { UsageError } from './trouble';

// What is done to the records of one selection; a job has one such part, or several with --then between them.

/** A record to be made for each, as its options say it one after the other. */
type SaidAlso = Omit<AlsoBody, 'values'> & { readonly values: readonly Edit[] };

export interface PartOptions extends SelectionOptions {
  /** The edits of all options, in the order in which they were said; each option holds the same. */
  readonly set?: SaidEdits;
  readonly also?: readonly SaidAlso[];
  readonly delete?: boolean;
  readonly copies?: boolean;
  readonly writeAgain?: boolean;
}

/** The options that say which records, and what is done to them. */
export function withPartOptions(command: Command): Command {
  return withAlsoOptions(withEditOptions(withSelectionOptions(command)))
    .option('--delete', 'delete them')
    .option('--copies', 'make each once more, but for what the edits say')
    .option('--write-again', 'write values that are right already, too, so that triggers fire');
}

/** The options that say what is made for each record. */
export function withAlsoOptions(command: Command): Command {
  const said: SaidAlso[] = [];
  const last = (option: string, change: (also: SaidAlso) => Partial<SaidAlso>): SaidAlso[] => {
    // What is created is said by the verb itself.
    if (said.length === 0 && command.name() === 'create') said.push({ type: '', values: [] });
    const also = said.at(-1);
    if (!also) throw new UsageError(`${option} is of the --also before it, and there is none.`);
    said.splice(-1, 1, { ...also, ...change(also) });
    return said;
  };
  const giving = (option: string, read: (text: string) => Edit) => (text: string) =>
    last(option, ({ values }) => ({ values: [...values, read(text)] }));
  return command
    .option('--also <type>', 'make a record of this type for each of them (again for more)', (type: string) => {
      said.push({ type, values: [] });
      return said;
    })
    .option(
      '--with <field=value>',
      'of --also: what it gets; in a text, {…} is worked out',
      giving('--with', (t) => readValued('set', t, '--with')),
    )
    .option(
      '--with-computed <field=expression>',
      'of --also: what it gets by an expression',
      giving('--with-computed', (t) => readFormula(t, '--with-computed')),
    )
    .option('--for-each <field>', 'of --also: one for each record that this field of theirs points at', (per: string) =>
      last('--for-each', () => ({ per })),
    )
    .option(
      '--pointing <field>',
      'of --also: its field that points at what it is made for, where there are several',
      (by: string) => last('--pointing', () => ({ by })),
    )
    .option('--first-in <field>', 'with --for-each: its field that gets the first of the records', (first: string) =>
      last('--first-in', () => ({ first })),
    );
}

/** What is made for each record, whichever option said it. */
export function alsoIn(options: object): readonly SaidAlso[] {
  const all = options as Readonly<Record<string, unknown>>;
  const option = ['also', 'with', 'withComputed', 'forEach', 'pointing', 'firstIn'].find((name) =>
    Array.isArray(all[name]),
  );
  return option === undefined ? [] : (all[option] as readonly SaidAlso[]);
}

/** What a part does besides its edits. */
export function doneIn(o: PartOptions): Pick<JobPartBody, 'act' | 'also' | 'writeAgain'> {
  if (o.delete && o.copies) throw new UsageError('Say --delete or --copies, not both.');
  const also = alsoIn(o);
  return {
    ...(o.delete ? { act: 'delete' as const } : o.copies ? { act: 'copy' as const } : {}),
    ...(also.length > 0 ? { also: [...also] } : {}),
    ...(o.writeAgain === undefined ? {} : { writeAgain: o.writeAgain }),
  };
}

type LaterOptions = PartOptions & { readonly follow?: string };

let later: readonly { readonly type: string; readonly options: LaterOptions }[] = [];
const taking = ['preview', 'create', 'delete', 'job'];

/**
 * The words of the command without its further parts, each of which begins with --then; who reads the job reads those. What is
 * said of the whole job may stand anywhere.
 */
export function withoutLater(words: readonly string[]): readonly string[] {
  const parts: string[][] = [[]];
  for (const word of words)
    if (word === '--then') parts.push([]);
    else parts.at(-1)!.push(word);
  const [first, ...rest] = parts;
  if (rest.length > 0 && !taking.includes(first![0] ?? ''))
    throw new UsageError('--then begins a further part of a job: it goes with preview, create, delete and job save.');
  const ofWhole: string[] = [];
  later = rest.map((part) => {
    const command = withPartOptions(new Command('--then')).option('--follow <relation>');
    const { operands, unknown } = command.parseOptions(part);
    const [type, ...more] = operands;
    if (type === undefined || more.length > 0)
      throw new UsageError(
        `--then takes a type and what is to be done: --then bookings --follow grower --set …${more.length > 0 ? ` “${more[0]!}” is too much.` : ''}`,
      );
    ofWhole.push(...unknown);
    return { type, options: command.opts<LaterOptions>() };
  });
  return [...first!, ...ofWhole];
}

/** The further parts, and the edits of each with the options that said them. */
export async function readLater(api: Client): Promise<{ readonly parts: LaterPartBody[]; readonly said: SaidEdits[] }> {
  const parts: LaterPartBody[] = [];
  const all: SaidEdits[] = [];
  for (const { type, options } of later) {
    const said = saidIn(options);
    const edits: Edit[] = [];
    for (const [i, { edit }] of said.entries()) edits.push(await sentAhead(api, type, edit, i));
    parts.push({
      selection: await readSelection(api, type, options),
      edits,
      ...doneIn(options),
      ...(options.follow === undefined ? {} : { follows: readFollow(options.follow) }),
    });
    all.push([...said]);
  }
  return { parts, said: all };
}

/** `grower`, `from owner`, either with ` of part 1` */
function readFollow(text: string): FollowsBody {
  const [, from, field, part] = /^\s*(from\s+)?([^\s]+)(?:\s+of\s+part\s+(\d+))?\s*$/.exec(text) ?? [];
  if (!field)
    throw new UsageError(`--follow takes a field, such as grower, “from owner” or “grower of part 1”, not “${text}”.`);
  return {
    field,
    ...(from ? { how: 'pointed_at' as const } : {}),
    ...(part === undefined ? {} : { part: Number(part) }),
  };
}
