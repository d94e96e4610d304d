import { Command } from 'commander';
import { examples } from './examples';
import { withSelectionOptions } from './selection-options';

/** Each verb with what follows its group’s name: `selection save`. */
export function* leavesOf(
  command: Command,
  path: readonly string[] = [],
): Generator<{ name: string; command: Command }> {
  for (const inner of command.commands) {
    const name = [...path, inner.name()];
    if (inner.commands.length > 0) yield* leavesOf(inner, name);
    else yield { name: name.join(' '), command: inner };
  }
}

/** Two examples before the rest of each verb’s help, and the options that say which records once, under `help selection`. */
export function withHelp(program: Command): void {
  for (const { name, command } of leavesOf(program)) {
    const two = examples[name];
    if (!command.options.some((o) => o.long === '--raw'))
      command.option('--raw', 'print control characters in values as they are');
    if (two) command.addHelpText('before', `${two.map((line) => `  ${line}`).join('\n')}\n`);
  }
  program.commands.find((c) => c.name() === 'selection')?.addHelpText('after', `\n${selectionHelp()}`);
}

function selectionHelp(): string {
  const only = withSelectionOptions(new Command().helpOption(false), true);
  const help = only.createHelp();
  const text = help.formatHelp(only, help);
  return text
    .slice(text.indexOf('Options:'))
    .replace('Options:', 'Which records, for find, preview, export and all who take a selection:');
}
