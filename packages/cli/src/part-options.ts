import type { Client } from '@tantamos/client';
import type { AlsoBody, FollowsBody, JobPartBody, LaterPartBody, PresetView } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import { Command } from 'commander';
import { readFormula, readValued, saidIn, withEditOptions } from './edit-options';
import type { SaidEdits } from './places';
import { readSelection, withSelectionOptions, type SelectionOptions } from './selection-options';
import { sentAhead } from './send-ahead';
import { UsageError } from './trouble';

// What is done to the records of one selection; a job has one such part, or several with --then between them.

/** A record to be made for each, as its options say it one after the other. */
type SaidAlso = Omit<AlsoBody, 'values'> & { readonly values: readonly Edit[]; readonly preset?: string };

export interface PartOptions extends SelectionOptions {
  /** The edits of all options, in the order in which they were said; each option holds the same. */
  readonly set?: SaidEdits;
  readonly also?: readonly SaidAlso[];
  readonly delete?: boolean;
  readonly copies?: boolean;
  readonly writeAgain?: boolean;
  /** The type of what is made, where the verb says it. */
  readonly makes?: string;
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
  const { said, last } = saying(command);
  command.option('--also <type>', 'make a record of this type for each of them (again for more)', (type: string) => {
    said.push({ type, values: [] });
    return said;
  });
  return giving(command, last, 'of --also: ')
    .option('--preset <name>', 'of --also: what is kept under this name, but for what --with says', (preset: string) =>
      last('--preset', () => ({ preset })),
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

/** The options that say what a new record gets, by themselves. */
export function withGivenOptions(command: Command): Command {
  return giving(command, saying(command).last);
}

type Last = (option: string, change: (also: SaidAlso) => Partial<SaidAlso>) => SaidAlso[];

/** What is made, as it is said one option after the other; `last`: says more of the last one. */
function saying(command: Command): { readonly said: SaidAlso[]; readonly last: Last } {
  const said: SaidAlso[] = [];
  const last: Last = (option, change) => {
    // What is made is said by the verb itself.
    if (said.length === 0 && ['create', 'keep'].includes(command.name())) said.push({ type: '', values: [] });
    const also = said.at(-1);
    if (!also) throw new UsageError(`${option} is of the --also before it, and there is none.`);
    said.splice(-1, 1, { ...also, ...change(also) });
    return said;
  };
  return { said, last };
}

function giving(command: Command, last: Last, of = ''): Command {
  const given = (option: string, read: (text: string) => Edit) => (text: string) =>
    last(option, ({ values }) => ({ values: [...values, read(text)] }));
  return command
    .option(
      '--with <field=value>',
      `${of}what it gets; in a text, {…} is worked out`,
      given('--with', (t) => readValued('set', t, '--with')),
    )
    .option(
      '--with-computed <field=expression>',
      `${of}what it gets by an expression`,
      given('--with-computed', (t) => readFormula(t, '--with-computed')),
    );
}

/** What is made for each record, whichever option said it. */
export function alsoIn(options: object): readonly SaidAlso[] {
  const all = options as Readonly<Record<string, unknown>>;
  const option = ['also', 'with', 'withComputed', 'preset', 'forEach', 'pointing', 'firstIn'].find((name) =>
    Array.isArray(all[name]),
  );
  return option === undefined ? [] : (all[option] as readonly SaidAlso[]);
}

/** What a part does besides its edits. */
export async function doneIn(api: Client, o: PartOptions): Promise<Pick<JobPartBody, 'act' | 'also' | 'writeAgain'>> {
  if (o.delete && o.copies) throw new UsageError('Say --delete or --copies, not both.');
  const also: AlsoBody[] = [];
  for (const one of alsoIn(o))
    also.push(await withPreset(api, one.type === '' ? { ...one, type: o.makes ?? '' } : one));
  return {
    ...(o.delete ? { act: 'delete' as const } : o.copies ? { act: 'copy' as const } : {}),
    ...(also.length > 0 ? { also } : {}),
    ...(o.writeAgain === undefined ? {} : { writeAgain: o.writeAgain }),
  };
}

/** With what is kept under the name, but for the fields that are given a value here. */
async function withPreset(api: Client, { preset, ...also }: SaidAlso): Promise<AlsoBody> {
  if (preset === undefined) return also;
  const { edits } = await presetNamed(api, preset, also.type);
  const isSaid = (edit: Edit): boolean => also.values.some((v) => v.field.toLowerCase() === edit.field.toLowerCase());
  return { ...also, values: [...edits.filter((e) => !isSaid(e)), ...also.values] };
}

/** The preset of that name, in any case, or whose id begins so; of that type where one is said. */
export async function presetNamed(api: Client, said: string, type?: string): Promise<PresetView> {
  const all = await api.presets();
  const called = all.filter((p) => p.name.toLowerCase() === said.toLowerCase() || p.id.startsWith(said.toLowerCase()));
  const found = called.filter((p) => type === undefined || p.type === type);
  if (found.length === 1) return found[0]!;
  if (found.length > 1)
    throw new UsageError(`“${said}” is kept for ${found.map((p) => p.type).join(' and ')}: say which with --type.`);
  const others = called.map((p) => p.type).join(' and ');
  throw new UsageError(
    others
      ? `“${said}” is kept for ${others}, not ${type}.`
      : `Nothing is kept as “${said}”; tantamos preset lists them.`,
  );
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
      ...(await doneIn(api, options)),
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
