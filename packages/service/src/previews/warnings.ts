import {
  closest,
  identifier,
  list,
  readsLike,
  sql,
  tableOf,
  typeWords,
  value,
  walk,
  type CheckedJobPart,
  type Edit,
  type Field,
  type JobPart,
  type WorkOrder,
} from '@tantamos/core';
import type { Database } from '../database/database';
import type { Note } from './preview-row';

// What a person should know before a preview is started, each with what can be done about it.

/** Texts to be written as they stand, though they read like a formula or a field. */
export function literalNotes(job: JobPart, { selection }: CheckedJobPart): Note[] {
  return job.edits.flatMap((edit, at): Note[] => {
    if (!('value' in edit) || typeof edit.value !== 'string') return [];
    const { field: name, value } = edit;
    const field = selection.type.fields.find((f) => f.name.toLowerCase() === name.toLowerCase());
    if (field?.base !== 'text' || field.choices || field.refersTo || !readsLike(value, selection.type.fields))
      return [];
    // What stands in braces is worked out, as it is meant to be.
    if (value.includes('{')) return [];
    const message = `${field.label} is given the text “${value}” as it stands: it reads like a formula or a field, and is not worked out.`;
    const formula = value.trim().replace(/^=/, '');
    const { where } = edit;
    const worked: Edit = { kind: 'compute', field: name, formula, ...(where === undefined ? {} : { where }) };
    const mend = edit.kind === 'set' ? { mend: { words: 'Work it out', edit: { at, edit: worked } } } : {};
    return [{ code: 'reads_like', message, count: 1, examples: [], ...mend }];
  });
}

/** Of the selection: that it is every record, or asks for what is being changed. */
export function selectionNotes({ selection, changes }: CheckedJobPart): Note[] {
  const { type, condition, list: pasted, take, keys, related } = selection;
  const notes: Note[] = [];
  const few = condition ?? pasted ?? take ?? keys ?? related;
  if (few === null)
    notes.push({
      ...note('all_records', `These are all ${typeWords(type)} there are: nothing narrows them.`),
      look: { words: 'Narrow them', at: 'selection' },
    });
  const asked = new Set<string>();
  // Who asks for what breaks a rule means to put it right.
  if (condition && condition.kind !== 'breaks')
    walk(condition, (node) => {
      if (node.kind === 'field' && node.at.through.length === 0) asked.add(node.at.field.name);
    });
  const both = changes.filter((c) => asked.has(c.field.name)).map((c) => c.field.label.toLowerCase());
  if (both.length > 0)
    notes.push({
      ...note(
        'filter_edited',
        `The filter asks for ${list(both, 'and')}, which this changes: afterwards the same filter may not find these records any more.`,
      ),
      look: { words: 'Look at the filter', at: 'selection' },
    });
  return notes;
}

/** The share of records that are not allowed from which on it is said. */
const many = 0.2;

/** Of the counts: that nothing would change, or much of it is not allowed. */
export async function countNotes(database: Database, previewId: string): Promise<Note[]> {
  const p = await database.one<{ matched: number; will_change: number; already_right: number; not_allowed: number }>(
    'select matched, will_change, already_right, not_allowed from tantamos.preview where id = $1',
    [previewId],
  );
  if (!p || p.matched === 0) return [];
  const said = (n: number): string => n.toLocaleString('en-US');
  if (p.will_change === 0)
    return [
      {
        ...note(
          'nothing_changes',
          p.not_allowed === 0
            ? 'Nothing would change: every record has these values already.'
            : `Nothing would change: ${said(p.already_right)} are right already, ${said(p.not_allowed)} are not allowed.`,
        ),
        look: { words: 'Look at them', at: p.not_allowed === 0 ? 'already_right' : 'not_allowed' },
      },
    ];
  if (p.not_allowed < p.matched * many || p.not_allowed < 2) return [];
  const percent = Math.round((100 * p.not_allowed) / p.matched);
  return [
    {
      ...note(
        'many_not_allowed',
        `${said(p.not_allowed)} of ${said(p.matched)} (${percent} %) are not allowed: look at why first.`,
      ),
      look: { words: 'Look at them', at: 'not_allowed' },
    },
  ];
}

/** So many different values at most make a field one whose values are few. */
const fewValues = 200;
const longestLook = 2000;

/** Texts written as they stand into fields of few values, where none has them but one has nearly: a typing mistake, perhaps. */
export async function newValueNotes(
  database: Database,
  job: JobPart,
  { selection, changes }: CheckedJobPart,
): Promise<Note[]> {
  const notes: Note[] = [];
  for (const { field, value: source } of changes) {
    if (source.from !== 'expression' || source.worked || source.tree.kind !== 'value') continue;
    const { text } = source.tree;
    if (field.base !== 'text' || field.choices || field.refersTo || text === '') continue;
    // What is said besides the set itself is not worth waiting for.
    const values = await database.askWithin<{ v: string }>(fewOf(selection, field), longestLook).catch(() => []);
    if (values.length === 0 || values.length > fewValues || values.some((row) => row.v === text)) continue;
    const [near] = closest(
      text,
      values.map((row) => row.v),
    );
    // A value that is like no other is meant to be new.
    if (near === undefined) continue;
    const where = field.label.toLowerCase();
    const at = job.edits.findIndex((e) => e.field.toLowerCase() === field.name.toLowerCase());
    const edit = job.edits[at];
    notes.push({
      ...note('new_value', `“${text}” occurs nowhere else in ${where}; the nearest that does is “${near}”.`),
      ...(edit && 'value' in edit
        ? { mend: { words: `Write “${near}” instead`, edit: { at, edit: { ...edit, value: near } } } }
        : {}),
    });
  }
  return notes;
}

/** The values of a field, one more than are few. */
function fewOf({ type }: CheckedJobPart['selection'], { name }: Field) {
  const column = sql`r.${identifier(name)}::text`;
  return sql`select distinct ${column} as v from ${tableOf(type)} r where ${column} <> '' limit ${value(fewValues + 1)}`;
}

function note(code: Note['code'], message: string): Note {
  return { code, message, count: 0, examples: [] };
}

/** That values pass from record to record, so that the run goes in order; `at`: in which part of the order. */
export async function passingNotes(
  database: Database,
  previewId: string,
  { selection }: CheckedJobPart,
  at: number,
): Promise<Note[]> {
  const p = await database.one<{ work_order: WorkOrder }>('select work_order from tantamos.preview where id = $1', [
    previewId,
  ]);
  const part = p?.work_order.parts[at];
  if (!part?.passing) return [];
  const around =
    part.passing.how === 'around'
      ? ' Some go round in a circle: these records give up theirs first, and triggers fire twice.'
      : '';
  return [
    note(
      'one_lane',
      `Values that may be there once pass from one of these ${typeWords(selection.type)} to another, so the run writes them one after another, in one lane.${around}`,
    ),
  ];
}
