import type { Catalog } from '../catalog/catalog';
import { keyFields } from '../catalog/key';
import { inTurn, treesOf, withTrees, type Change } from '../edits/change';
import { editSentence, lowerEdit, type Edit } from '../edits/edit';
import type { About, NameOf } from '../edits/kind';
import type { Answers } from '../language/bind';
import { bind, bindSelection, namesIn, questionsOf } from '../language/bind';
import { rebuild, type Checked, type NameQuestion } from '../language/checked';
import type { Context } from '../language/context';
import type { OwnRule } from '../language/own-rule';
import { list } from '../language/words';
import { fail, Gathered, inside } from '../problem';
import type { CheckedSelection } from '../language/checked';
import { checkSelection } from '../selection/selection';
import type { Selection } from '../selection/shape';
import { whichWords } from '../selection/words';

/** How carefully a run goes about it. */
export interface Safety {
  /** Records in one batch, which is one transaction; null: as many as is usual for what is done (see `usualBatch`). */
  readonly batchSize: number | null;
  /** Batches that work at the same time. */
  readonly atOnce: number;
  /** Share of the time spent working, in percent; the rest is left to other users of the database. */
  readonly pace: number;
  /** Stop and ask after this many; null: do not ask. */
  readonly askAfter: number | null;
  /** Stop, changing nothing, if more than this many would change; null: no such limit. */
  readonly atMost: number | null;
}
export const defaultSafety: Safety = { batchSize: null, atOnce: 1, pace: 50, askAfter: null, atMost: null };

/** Selection + edits + safety + why. */
export interface Job {
  readonly selection: Selection;
  readonly edits: readonly Edit[];
  readonly safety?: Partial<Safety>;
  readonly why?: string;
  /** Values that are right already are written all the same, so that triggers fire. */
  readonly writeAgain?: boolean;
  /** The preview that this one follows, so that the two can be compared. */
  readonly after?: string;
}

/** A job whose every name has been found in the catalog. */
export interface CheckedJob {
  readonly selection: CheckedSelection;
  readonly changes: readonly Change[];
  readonly writeAgain: boolean;
  /** The workspace's own, of its type. */
  readonly rules: readonly OwnRule[];
  readonly questions: readonly NameQuestion[];
  /** Of those looked up. */
  readonly nameOf: NameOf;
}

/** Checks all parts and reports every problem there is, not only the first. */
export function checkJob(job: Job, catalog: Catalog, context: Context): CheckedJob {
  const problems = new Gathered();
  const type = catalog.type(job.selection.type);
  problems.gather(() => {
    keyFields(type);
    if (type.notChangeable !== null) fail('not_changeable', type.notChangeable);
  });
  const selection = problems.gather(() => checkSelection(job.selection, catalog, context));
  if (job.edits.length === 0)
    problems.gather(() => fail('no_edits', 'The job says which records, but not what to change.'));
  const written = new Set<string>();
  const changes = job.edits.flatMap(
    (edit, i) =>
      problems.gather(() => {
        const lowered = lowerAt(edit, `edits[${i}]`, { type, catalog, context: { ...context, ofEdit: true } });
        for (const { field } of lowered) {
          if (written.has(field.name))
            fail('same_field_twice', `${field.name} is changed twice.`, { where: `edits[${i}].field` });
          written.add(field.name);
        }
        return lowered;
      }) ?? [],
  );
  problems.raise();
  inTurn(changes);
  const trees = changes.flatMap(treesOf);
  return {
    selection: selection!,
    changes,
    writeAgain: job.writeAgain ?? false,
    rules: context.rulesOf(type.id),
    questions: [...questionsOf(selection!), ...trees.flatMap(namesIn)],
    nameOf: nobody,
  };
}

/** The job with every name replaced by a key; throws `unknown_name` and `ambiguous_name`, all of them. */
export function bindJob(job: CheckedJob, answers: Answers, catalog: Catalog): CheckedJob {
  const problems = new Gathered();
  const asked = new Set<string>();
  for (const question of job.questions) {
    const one = JSON.stringify([question.typeId, question.text, question.where]);
    if (!asked.has(one)) problems.gather(() => answers.key(question, catalog));
    asked.add(one);
  }
  problems.raise(100);
  const changes = job.changes.map((c) => withTrees(c, (tree) => bind(tree, answers, catalog)));
  changes.forEach(mustMapOnce);
  return {
    selection: bindSelection(job.selection, answers, catalog),
    changes,
    writeAgain: job.writeAgain,
    rules: job.rules,
    questions: [],
    nameOf: (typeId, text) => answers.name(typeId, text),
  };
}

/** Two names may mean one record: then there would be two values for it. */
function mustMapOnce({ field, value }: Change): void {
  if (value.from === 'place' && value.place.level) {
    const keys = value.place.level.values.flatMap((v) => (v.kind === 'value' ? [v.text] : []));
    const twice = keys.find((key, i) => keys.indexOf(key) !== i);
    if (twice !== undefined)
      fail('bad_value', `${field.label}: two of those named are the same record, the one with the key ${twice}.`, {
        where: 'edits',
      });
  }
  if (value.from !== 'given' || 'kept' in value.given) return;
  const seen = new Set<string>();
  for (const { key } of value.given.entries) {
    if (key.kind !== 'value') continue;
    if (seen.has(key.text))
      fail(
        'bad_value',
        `${field.label}: two lines of the map are about the same record, the one with the key ${key.text}.`,
        {
          where: 'edits',
        },
      );
    seen.add(key.text);
  }
}

const nobody = (): undefined => undefined;

/** The job in one plain sentence; `matched`, and the names behind keys, are said where they are known. */
export function jobSentence(
  job: Job,
  catalog: Catalog,
  context: Context,
  matched?: number,
  nameOf: NameOf = nobody,
): string {
  // Before names are bound to keys, so that it says what the person said.
  const checked = checkSelection(job.selection, catalog, context);
  const edits = list(
    job.edits.map((e) => editSentence(e, { type: checked.type, catalog, nameOf })),
    'and',
  );
  const again = job.writeAgain ? '; what is right already is written again' : '';
  return `On ${whichWords(checked, matched)}: ${edits || 'nothing to change yet'}${again}.`;
}

/** Lowers an edit that stands at `place`, such as `edits[0]`: its problems and questions say so. */
export function lowerAt(edit: Edit, place: string, about: About): readonly Change[] {
  const named = (node: Checked): Checked =>
    node.kind === 'named'
      ? { ...node, question: { ...node.question, where: `${place}.${node.question.where ?? 'value'}` } }
      : node;
  return inside(place, () => lowerEdit(edit, about).map((c) => withTrees(c, (tree) => rebuild(tree, named))));
}
