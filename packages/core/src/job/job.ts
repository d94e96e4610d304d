import { keyOf, type Catalog, type RecordType } from '../catalog/catalog';
import { editSentence, lowerEdit, type Assignment, type Edit } from '../edits/edit';
import type { Answers } from '../language/bind';
import { bind, namesIn } from '../language/bind';
import { rebuild, type Checked, type NameQuestion } from '../language/checked';
import type { Context } from '../language/context';
import { list } from '../language/words';
import { fail, ProblemError, type Problem } from '../problem';
import { bindSelection, questionsOf } from '../selection/bind-selection';
import { checkSelection, type CheckedSelection, type Selection } from '../selection/selection';
import { whichWords } from '../selection/words';

/** How carefully a run goes about it. */
export interface Safety {
  /** Records in one batch, which is one transaction. */
  readonly batchSize: number;
  /** Batches that work at the same time. */
  readonly atOnce: number;
  /** Share of the time spent working, in percent; the rest is left to other users of the database. */
  readonly pace: number;
  /** Stop and ask after this many; null: do not ask. */
  readonly askAfter: number | null;
  /** Stop, changing nothing, if more than this many would change; null: no such limit. */
  readonly atMost: number | null;
}
export const defaultSafety: Safety = { batchSize: 1000, atOnce: 1, pace: 50, askAfter: null, atMost: null };

/** Selection + edits + safety + why. */
export interface Job {
  readonly selection: Selection;
  readonly edits: readonly Edit[];
  readonly safety?: Partial<Safety>;
  readonly why?: string;
}

/** A job whose every name has been found in the catalog. */
export interface CheckedJob {
  readonly selection: CheckedSelection;
  readonly assignments: readonly Assignment[];
  readonly questions: readonly NameQuestion[];
}

/** Checks all parts and reports every problem there is, not only the first. */
export function checkJob(job: Job, catalog: Catalog, context: Context): CheckedJob {
  const problems: Problem[] = [];
  const gather = <T>(work: () => T): T | undefined => {
    try {
      return work();
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      problems.push(...error.problems);
      return undefined;
    }
  };
  const type = catalog.type(job.selection.type);
  gather(() => {
    keyOf(type);
    if (type.notChangeable !== null) fail('not_changeable', type.notChangeable);
  });
  const selection = gather(() => checkSelection(job.selection, catalog, context));
  if (job.edits.length === 0) gather(() => fail('no_edits', 'The job says which records, but not what to change.'));
  const assignments = job.edits.flatMap((edit, i) => gather(() => lowerAt(edit, i, type, catalog)) ?? []);
  job.edits.forEach((edit, i) => {
    const first = job.edits.findIndex((e) => e.field.toLowerCase() === edit.field.toLowerCase());
    if (first < i)
      gather(() => fail('same_field_twice', `${edit.field} is changed twice.`, { where: `edits[${i}].field` }));
  });
  if (problems.length > 0) throw new ProblemError(problems[0]!, ...problems.slice(1));
  const trees = assignments.flatMap((a) => (a.when ? [a.expression, a.when] : [a.expression]));
  return {
    selection: selection!,
    assignments,
    questions: [...questionsOf(selection!), ...trees.flatMap(namesIn)],
  };
}

/** The job with every name replaced by a key; throws `unknown_name` and `ambiguous_name`, all of them. */
export function bindJob(job: CheckedJob, answers: Answers, catalog: Catalog): CheckedJob {
  const problems: Problem[] = [];
  for (const question of job.questions) {
    try {
      answers.key(question, catalog);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      problems.push(...error.problems);
    }
  }
  if (problems.length > 0) throw new ProblemError(problems[0]!, ...problems.slice(1));
  const { selection, assignments } = job;
  return {
    selection: bindSelection(selection, answers, catalog),
    assignments: assignments.map((a) => ({
      ...a,
      expression: bind(a.expression, answers, catalog),
      when: a.when && bind(a.when, answers, catalog),
    })),
    questions: [],
  };
}

/** The job in one plain sentence; `matched` is said where it is known. */
export function jobSentence(job: Job, catalog: Catalog, context: Context, matched?: number): string {
  // Before names are bound to keys, so that it says what the person said.
  const checked = checkSelection(job.selection, catalog, context);
  const edits = list(
    job.edits.map((e) => editSentence(e, checked.type)),
    'and',
  );
  return `On ${whichWords(checked, matched)}: ${edits || 'nothing to change yet'}.`;
}

function lowerAt(edit: Edit, index: number, type: RecordType, catalog: Catalog): Assignment {
  const place = `edits[${index}]`;
  try {
    const { expression, ...rest } = lowerEdit(edit, type, catalog);
    const named = (node: Checked): Checked =>
      node.kind === 'named' ? { ...node, question: { ...node.question, where: `${place}.value` } } : node;
    return { ...rest, expression: rebuild(expression, named) };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const [first, ...more] = error.problems.map((p) => ({ ...p, where: p.where ? `${place}.${p.where}` : place }));
    throw new ProblemError(first!, ...more);
  }
}
