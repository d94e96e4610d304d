import { isBlank } from '../language/build';
import { walk, type Checked } from '../language/checked';
import { newFieldsIn, type Change } from './change';

/** Records for which what is asked is blank, so that they fall to what is meant for all others. */
export interface Otherwise {
  /** The edit's own condition; a question within its formula or ranges; a map's old value. */
  readonly of: 'where' | 'formula' | 'map';
  readonly when: Checked;
}

/** Where a change comes to what is meant for all others though nobody can say so: the answer is neither yes nor no. */
export function otherwisesOf(change: Change): readonly Otherwise[] {
  if (newFieldsIn(change).size > 0) return [];
  const { when, value } = change;
  const found: Otherwise[] = [];
  if (when) found.push({ of: 'where', when: unanswered(when) });
  if (value.from === 'expression') {
    const asked = questionsIn(value.tree).map(unanswered);
    if (asked.length > 0) found.push({ of: 'formula', when: within(when, { kind: 'or', operands: asked }) });
  }
  if (value.from === 'given' && !('kept' in value.given)) {
    const { by, entries, rest } = value.given;
    const isMapped = entries.some((e) => e.key.kind === 'value' && e.key.text === '');
    if (by && rest.act === 'give' && !isMapped) found.push({ of: 'map', when: within(when, isBlank(by)) });
  }
  return found;
}

const unanswered = (question: Checked): Checked => ({ kind: 'isNull', operand: question });

const within = (when: Checked | null, question: Checked): Checked =>
  when ? { kind: 'and', operands: [when, question] } : question;

/** What IF and IFS ask, and the values that SWITCH compares. */
function questionsIn(tree: Checked): readonly Checked[] {
  const asked: Checked[] = [];
  walk(tree, (node) => {
    if (node.kind !== 'call') return;
    const { name } = node.entry;
    if (name === 'IF' || name === 'SWITCH') asked.push(node.args[0]!);
    if (name === 'IFS') asked.push(...node.args.filter((_, i) => i % 2 === 0));
  });
  return asked.filter((question) => !isConstant(question));
}

function isConstant(tree: Checked): boolean {
  return tree.kind === 'value';
}
