import type { Command, Option } from 'commander';
import { editKinds, outcomes, shortId, verdicts } from '@tantamos/core';
import { formats } from './output';
import { client } from './session';

/** What could stand where the last of these words is being typed. A service that does not answer offers nothing. */
export async function candidates(program: Command, words: readonly string[]): Promise<string[]> {
  // Shells keep the quote that a word begins with to themselves.
  const typed = (words.at(-1) ?? '').replace(/^["']/, '');
  const { command, rest } = commandOf(program, words.slice(0, -1));
  const fits = (all: readonly string[]): string[] => [...new Set(all)].filter((c) => c.startsWith(typed)).sort();
  const option = valueWanted(command, rest);
  if (option) return fits(await valuesOf(option, argumentsOf(command, rest)));
  if (typed.startsWith('-')) return fits([...command.options.map((o) => o.long!), '--help']);
  if (command.commands.length > 0) return fits(command.commands.filter((c) => !isHidden(c)).map((c) => c.name()));
  const said = argumentsOf(command, rest);
  const argument = command.registeredArguments[said.length];
  return argument ? fits(await argumentsFor(argument.name(), said)) : [];
}

function isHidden(command: Command): boolean {
  return (command as Command & { _hidden?: boolean })._hidden ?? false;
}

/** The verb that the words name so far, and the words behind it. */
function commandOf(program: Command, words: readonly string[]): { command: Command; rest: readonly string[] } {
  let command = program;
  for (const [i, word] of words.entries()) {
    const inner = command.commands.find((c) => c.name() === word);
    if (!inner) return { command, rest: words.slice(i) };
    command = inner;
  }
  return { command, rest: [] };
}

function optionNamed(command: Command, word: string): Option | undefined {
  return command.options.find((o) => o.long === word || o.short === word);
}

/** The option whose value is being typed. */
function valueWanted(command: Command, rest: readonly string[]): Option | undefined {
  const option = optionNamed(command, rest.at(-1) ?? '');
  return option?.required ? option : undefined;
}

/** Words that are no option and no option’s value. */
function argumentsOf(command: Command, rest: readonly string[]): string[] {
  return rest.filter((word, i) => !word.startsWith('-') && !optionNamed(command, rest[i - 1] ?? '')?.required);
}

/** Of what begins with a field: `--filter`, and the edits that say their field first. */
const ofFields = new Set([
  ...['--filter', '--only-where', '--empty', '--sort', '--by', '--per', '--show', '--columns', '--match'],
  ...editKinds.map((kind) => `--${kind}`),
]);

async function valuesOf(option: Option, [type]: readonly string[]): Promise<readonly string[]> {
  const name = option.long!;
  if (name === '--set' || name === '--fill') return (await fields(type)).map((f) => `${f}=`);
  if (ofFields.has(name)) return fields(type);
  if (name === '--format') return formats;
  if (name === '--outcome') return [...new Set([...outcomes, ...verdicts])];
  if (name === '--several') return ['all', 'none'];
  if (name === '--unknown') return ['stop', 'skip'];
  if (name === '--types') return types();
  if (name === '--selection') return quietly(async () => (await client().selections()).map((s) => s.name));
  return [];
}

async function argumentsFor(name: string, said: readonly string[]): Promise<readonly string[]> {
  switch (name) {
    case 'type':
      return types();
    case 'field':
    case 'fields':
    case 'rows':
    case 'columns':
      return fields(said[0]);
    case 'preview':
      return quietly(async () => ['last', ...(await client().previews()).map((p) => shortId(p.id))]);
    case 'run':
      return quietly(async () => ['last', ...(await client().runs({ limit: 20 })).map((r) => shortId(r.id))]);
    case 'shell':
      return ['bash', 'zsh', 'fish'];
    default:
      return [];
  }
}

const types = (): Promise<string[]> => quietly(async () => (await client().types()).map((t) => t.id));
const fields = (type: string | undefined): Promise<string[]> =>
  type === undefined ? Promise.resolve([]) : quietly(async () => (await client().type(type)).fields.map((f) => f.name));

function quietly(ask: () => Promise<string[]>): Promise<string[]> {
  return ask().catch(() => []);
}
