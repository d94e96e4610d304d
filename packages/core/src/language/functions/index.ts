import { dateFunctions } from './date';
import { drawnFunctions } from './drawn';
import { entryFunctions } from './entries';
import type { FunctionEntry } from './entry';
import { listEdits, listFunctions } from './list';
import { logicFunctions } from './logic';
import { numberFunctions } from './number';
import { replacedFunction } from './replaced';
import { shownFunctions } from './shown';
import { textFunctions } from './text';
import { timeFunctions } from './time';

/** Every function of the language; the reference page, the command line and the editor's help are made from it. */
export const functions: readonly FunctionEntry[] = [
  ...textFunctions,
  replacedFunction,
  ...entryFunctions,
  ...logicFunctions,
  ...numberFunctions,
  ...dateFunctions,
  ...listFunctions,
  ...timeFunctions,
];

const byName = new Map(functions.map((f) => [f.name.toLowerCase(), f]));
const ofEdits = new Map([...listEdits, ...drawnFunctions, ...shownFunctions].map((f) => [f.name, f]));

export function functionNamed(name: string): FunctionEntry | undefined {
  return byName.get(name.toLowerCase());
}

/** The same, of those that edits alone are made of too. */
export function entryNamed(name: string): FunctionEntry | undefined {
  return functionNamed(name) ?? ofEdits.get(name);
}

/** What is no function of values but part of the language: people find it in the same places. */
export const relatedForms: readonly Pick<FunctionEntry, 'name' | 'source' | 'doc' | 'example'>[] = [
  {
    name: 'has(children, condition?)',
    source: 'Tantamos',
    doc: 'Is there a record that points at this one (and for which the condition holds)?',
    example: "has(tasks, state = 'open')",
  },
  {
    name: 'count(children, condition?)',
    source: 'Tantamos',
    doc: 'How many records point at this one.',
    example: 'count(invoices) > 1',
  },
  {
    name: 'sum(children.field, condition?)',
    source: 'Tantamos',
    doc: 'The sum of a field of the records that point at this one; blank where there is none.',
    example: "sum(invoices.net, state = 'open') > 500",
  },
  {
    name: 'min(children.field, condition?)',
    source: 'Tantamos',
    doc: 'The least value of a field of the records that point at this one; max is the greatest.',
    example: 'min(invoices.due_on) < TODAY()',
  },
  {
    name: 'average(children.field, condition?)',
    source: 'Tantamos',
    doc: 'The average of a number field of the records that point at this one, to 16 digits after the point.',
    example: 'average(invoices.net) > 1000',
  },
  {
    name: 'in_selection(name, reference?)',
    source: 'Tantamos',
    doc: 'Is the record (or the one the reference points at) in the saved selection of that name?',
    example: "in_selection('north growers', grower)",
  },
  {
    name: 'in_run(run, outcome?, reference?)',
    source: 'Tantamos',
    doc: 'Did that run leave the record (or the one the reference points at) so: changed (where nothing is said), refused, edited_since, in_use, gone, not_allowed, already_right, not_yet?',
    example: "in_run('23207c76', 'changed')",
  },
  {
    name: 'breaks_rule(name)',
    source: 'Tantamos',
    doc: 'Does the record break the rule of that name, be it switched on or not?',
    example: "breaks_rule('confirmed bookings have a site')",
  },
  {
    name: 'me()',
    source: 'Tantamos',
    doc: 'The person signed in: the key of the record that their account stands for.',
    example: 'owner = me()',
  },
];
