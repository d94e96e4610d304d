import { rebuild, type Checked } from '../language/checked';

/** The tree, whose names still to be looked up were said at this place of the edit. */
export function saidAt(where: string, tree: Checked): Checked {
  return rebuild(tree, (node) => (node.kind === 'named' ? { ...node, question: { ...node.question, where } } : node));
}
