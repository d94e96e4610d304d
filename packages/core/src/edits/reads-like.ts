import { parse } from '../language/parse';
import type { Expression } from '../language/syntax';
import { functionNamed } from '../language/functions';
import { ProblemError } from '../problem';

/**
 * Does a text that is to be written as it stands read like something to be worked out: a field (or a path that begins at
 * one), a function, a calculation, or a spreadsheet’s `=`? `fields`: those of its type.
 */
export function readsLike(text: string, fields: readonly { readonly name: string }[]): boolean {
  const said = text.trim();
  if (said.length > 1000) return false;
  if (/^=\s*[\w(]/.test(said)) return true;
  const isField = (name: string): boolean => fields.some((f) => f.name.toLowerCase() === name.toLowerCase());
  const worked = (e: Expression): boolean => {
    switch (e.kind) {
      case 'name':
        return isField(e.path[0]!.name);
      case 'call':
        return functionNamed(e.name) !== undefined || e.args.some(worked);
      case 'arithmetic':
        return worked(e.left) || worked(e.right);
      default:
        return false;
    }
  };
  try {
    return worked(parse(said));
  } catch (error) {
    if (error instanceof ProblemError) return false;
    throw error;
  }
}
