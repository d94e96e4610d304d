import { editHelp, editKinds, type Edit } from '@tantamos/core';
import type { Command } from 'commander';
import { readEdit, usageOf } from './edit-words';
import { readFile } from './options';
import type { SaidEdits } from './places';
import { UsageError } from './trouble';

/** The options that say edits; `saidIn` reads them. */
export function withEditOptions(command: Command): Command {
  const said: SaidEdits = [];
  const edit =
    (make: (text: string) => Edit | readonly Edit[], option: string) =>
    (text: string): SaidEdits => {
      for (const one of [make(text)].flat<readonly (Edit | readonly Edit[])[]>()) said.push({ edit: one, option });
      return said;
    };
  const onlyWhere = (filter: string): SaidEdits => {
    const last = said.at(-1);
    if (!last) throw new UsageError('--only-where is of the edit before it, and there is none.');
    said.splice(-1, 1, { ...last, edit: { ...last.edit, where: filter } });
    return said;
  };
  const withEdits = command
    .option(
      '--set <field=value>',
      'give the field this value (again for more fields); in a text, {…} is worked out',
      edit((t) => readValued('set', t), '--set'),
    )
    .option(
      '--fill <field=value>',
      'the same, only where the field is blank',
      edit((t) => readValued('fill', t), '--fill'),
    )
    .option(
      '--clear <field>',
      'leave the field without a value',
      edit((t) => ({ kind: 'clear', field: t.trim() }), '--clear'),
    )
    .option(
      '--empty <field>',
      'give a text field the empty text',
      edit((t) => ({ kind: 'set', field: t.trim(), value: '' }), '--empty'),
    )
    .option(
      '--compute <field=expression>',
      lowered(editHelp('compute').doc),
      edit((t) => readFormula(t), '--compute'),
    );
  for (const kind of worded)
    withEdits.option(
      `--${kind} <words>`,
      `${lowered(editHelp(kind).doc)}: ${usageOf(kind).replace(`--${kind} `, '')}`,
      edit((t) => readEdit(kind, t), `--${kind}`),
    );
  return withEdits
    .option('--edit <file>', 'an edit, or several, as JSON; - for standard input', edit(readEditFile, '--edit'))
    .option('--only-where <filter>', 'the edit just said only where this holds', onlyWhere);
}

/** Edits that are said as words; what comes before them here has a form of its own. */
const worded = editKinds.filter((kind) => !['set', 'fill', 'clear', 'compute', 'put'].includes(kind));

const lowered = (doc: string): string => `${doc[0]!.toLowerCase()}${doc.slice(1).replace(/\.$/, '')}`;

/** Whichever option was said holds what all of them said. */
export function saidIn(options: object): SaidEdits {
  const all = options as Readonly<Record<string, unknown>>;
  const option = [...editKinds, 'empty', 'edit', 'onlyWhere'].find((name) => Array.isArray(all[name]));
  return option === undefined ? [] : (all[option] as SaidEdits);
}

/** `field = expression` */
export function readFormula(text: string, option = '--compute'): Edit {
  const at = text.indexOf('=');
  const [field, formula] = [text.slice(0, at).trim(), text.slice(at + 1).trim()];
  if (at < 1 || formula === '')
    throw new UsageError(`${option} takes 'FIELD = EXPRESSION', such as ${option} 'hives = hives * 2', not “${text}”.`);
  return { kind: 'compute', field, formula };
}

function readEditFile(path: string): readonly Edit[] {
  try {
    const read = JSON.parse(readFile(path)) as Edit | Edit[];
    if (typeof read === 'object' && read !== null) return [read].flat();
  } catch (error) {
    if (error instanceof UsageError) throw error;
  }
  throw new UsageError(`${path} holds no edits: a JSON object with kind and field, or a list of such.`);
}

/** `field=text`: everything after the first = is the text, as it stands. */
export function readValued(kind: 'set' | 'fill', text: string, option = `--${kind}`): Edit {
  const at = text.indexOf('=');
  if (at < 1) throw new UsageError(`${option} takes FIELD=VALUE, such as ${option} status=confirmed, not “${text}”.`);
  const field = text.slice(0, at).trim();
  const value = text.slice(at + 1);
  if (value === '')
    throw new UsageError(
      option === '--with'
        ? `--with ${field}= says no value; leave it out to leave ${field} blank.`
        : `${option} ${field}= says no value. To leave it blank: --clear ${field}; for the empty text: --empty ${field}`,
    );
  return { kind, field, value };
}
