import { clip, hasOrder, type Catalog, type Field } from '../catalog/catalog';
import { pathText } from '../catalog/path';
import { checkCondition, checkExpression } from '../language/check';
import { typeOf, type Checked } from '../language/checked';
import { and, call, firstOf, not, textTree } from '../language/build';
import { conversion } from '../language/mismatch';
import { noResultsOf, type NoResult } from '../language/no-result';
import { parse } from '../language/parse';
import { print } from '../language/print';
import type { Expression } from '../language/syntax';
import { moved, piecesOf, type TextPiece } from '../language/text-with-fields';
import { typeOfBase, fieldKindWords, valueTypeWords, type ValueType } from '../language/types';
import { fail, ProblemError, within } from '../problem';
import type { Target, ValueSource, Worked } from './change';
import type { About } from './kind';
import { saidAt } from './said-at';
import { shownIn } from './shown';

/** A condition that a person wrote, checked against the type; its problems are at `where`. */
export function conditionAt(where: string, text: string, about: About): Checked {
  return within(where, () => saidAt(where, checkCondition(parse(text), about.catalog, about.type, about.context)));
}

/** An expression that a person wrote, as a value for the field; its problems are at `where`. */
export function formulaFor(where: string, text: string, field: Field, about: About): ValueSource {
  return within(where, () => {
    const expression = parse(text);
    return worked(saidAt(where, valueFor(field, expression, about)), field, about.catalog, { written: expression });
  });
}

/**
 * A checked expression as a value for a field: the types must fit; what may not fit is found for each record (`fit.ts`).
 * `blank`: what becomes of a record for which nothing comes out.
 */
export function worked(
  tree: Checked,
  field: Field,
  catalog: Catalog,
  more: {
    readonly written?: Expression;
    readonly blank?: Worked['blank'];
    readonly refusals?: readonly NoResult[];
  } = {},
): ValueSource {
  const made = fitting(tree, field, more.written);
  const asked = workedInto(made, field, catalog, more.blank);
  return { from: 'expression', tree: made, worked: more.refusals ? { ...asked, refusals: more.refusals } : asked };
}

/** What is to be asked of a value that `tree` gives for the field. */
export function workedInto(tree: Checked, field: Field, catalog: Catalog, blank: Worked['blank'] = 'refused'): Worked {
  return { blank, target: targetOf(tree, field, catalog), refusals: noResultsOf(tree) };
}

/** How what is worked out says which record a reference is to point at. */
function targetOf(made: Checked, field: Field, catalog: Catalog): Target | null {
  const tree = made.kind === 'planned' ? made.operand : made;
  const at = tree.kind === 'field' ? tree.at : tree.kind === 'named' ? tree.question.at : undefined;
  if (field.refersTo === null || tree.kind === 'value' || (tree.kind === 'named' && !at)) return null;
  // What a reference to the same type holds is a key already.
  if (at?.field.refersTo === field.refersTo) return null;
  return { type: catalog.type(field.refersTo) };
}

/** Literals, names and me() mean what they would mean beside the field in a filter. */
function valueFor(field: Field, expression: Expression, { catalog, type, into, context }: About): Checked {
  const { span } = expression;
  const isMe = expression.kind === 'call' && expression.name === 'me';
  // What is compared with nothing has no literals of its own.
  const isPlainText = !hasOrder(field);
  if (isPlainText || ((expression.kind !== 'literal' || expression.type === 'null') && !isMe))
    return checkExpression(expression, catalog, type, context);
  const beside: Expression = { kind: 'name', path: [{ name: field.name, span }], span };
  const compared = checkExpression(
    { kind: 'compare', op: '=', left: beside, right: expression, span },
    catalog,
    into ?? type,
    context,
  );
  return compared.kind === 'compare' ? compared.right : compared;
}

/** Types whose values a field of a type takes, each as it is or turned into its own. */
function fitting(tree: Checked, field: Field, written?: Expression): Checked {
  const is = typeOf(tree);
  const wanted = typeOfBase(field.base);
  const isKey = field.refersTo !== null;
  if (is === 'blank' || is === wanted) return tree;
  if (wanted === 'date' && is === 'moment') return { kind: 'convert', type: 'date', operand: tree };
  if (wanted === 'moment' && is === 'date') return { kind: 'convert', type: 'moment', operand: tree };
  // A reference may be said by the name of its record, a choice by its label.
  if (is === 'text' && (isKey || field.choices !== null)) return tree;
  if (wanted === 'text' && isPlain(is) && !isKey && field.choices === null) return call('text', 'text', tree);
  return fail(
    'type_mismatch',
    `${field.label} is ${fieldKindWords(field)}, but ${written ? `“${clip(print(written))}”` : 'this'} is ${valueTypeWords[is]}.`,
    written ? { span: written.span, suggestions: wanted ? conversion(written, is, wanted) : [] } : {},
  );
}

const isPlain = (type: ValueType): boolean => ['number', 'date', 'moment', 'yes_no'].includes(type);

/**
 * A text that a person filled in, with what stands in braces worked out for each record; null where there is nothing to
 * work out. A choice gives its label, a reference the name of its record, numbers and times are as the person reads them; a
 * blank gives nothing, and where there is nothing else the text is blank. What cannot be worked out is no blank: `noResults`
 * says why of each expression.
 */
export function textWorked(where: string, text: string, about: About): TextWorked | null {
  return within(where, () => {
    const pieces = piecesOf(text);
    if (!pieces) return null;
    const trees = pieces.map((piece) => pieceTree(piece, about));
    const told = pieces.flatMap((piece, i) => (piece.kind === 'expression' ? [trees[i]!] : []));
    const all = joined(trees);
    const isSomething: Checked = { kind: 'or', operands: told.map((t) => not(isNull(t))) };
    return {
      tree: saidAt(where, told.length < pieces.length ? all : firstOf([{ when: isSomething, value: all }])),
      refusals: told.flatMap((t) =>
        noResultsOf(t)
          .filter((r) => !r.blank)
          .map((r): NoResult => ({ ...r, always: true, when: and(r.when, isNull(t))! })),
      ),
    };
  });
}

export interface TextWorked {
  readonly tree: Checked;
  readonly refusals: readonly NoResult[];
}

const isNull = (operand: Checked): Checked => ({ kind: 'isNull', operand });

/** Texts, one after the other; blanks are nothing. */
export function joined(parts: readonly Checked[]): Checked {
  return call('concatenate', 'text', ...parts.map(orEmpty));
}

function orEmpty(tree: Checked): Checked {
  return tree.kind === 'value' ? tree : call('coalesce', 'text', tree, textTree(''));
}

function pieceTree(piece: TextPiece, { catalog, type, context }: About): Checked {
  if (piece.kind === 'text') return textTree(piece.text);
  try {
    const tree = checkExpression(piece.expression, catalog, type, context);
    return shownIn(context.locale, tree) ?? readable(tree, catalog);
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    throw moved(error, piece.start);
  }
}

/** A value as a person reads it: a choice by its label, a reference by the name of its record. */
export function readable(tree: Checked, catalog: Catalog): Checked {
  if (tree.kind === 'field') {
    const { field, through, type } = tree.at;
    const target = field.refersTo === null ? undefined : catalog.find(field.refersTo);
    const name = target?.fields.find((f) => f.name === target.nameField);
    if (target && name)
      return asPlain({
        kind: 'field',
        at: { through: [...through, { from: type, field, type: target }], type: target, field: name },
      });
    const labelled = field.choices?.filter((c) => c.label !== c.value) ?? [];
    if (labelled.length > 0) {
      const stored = asPlain(tree);
      const args = [stored, ...labelled.flatMap((c) => [textTree(c.value), textTree(c.label)]), stored];
      return call('switch', 'text', ...args);
    }
  }
  return asPlain(tree);
}

function asPlain(tree: Checked): Checked {
  const is = typeOf(tree);
  if (is === 'text') return tree;
  if (is === 'blank') return textTree('');
  if (isPlain(is)) return call('text', 'text', tree);
  return fail(
    'type_mismatch',
    `${tree.kind === 'field' ? `“${clip(pathText(tree.at))}”` : 'This'} is ${valueTypeWords[is]}, which is no text.`,
  );
}
