import type { StepView } from '@tantamos/contract';
import {
  asText,
  bind,
  canonicalKey,
  canonicalSql,
  checkExpression,
  fail,
  join,
  keyIs,
  namesIn,
  parse,
  print,
  ProblemError,
  raw,
  Scope,
  sql,
  typeOf,
  partsOf,
  value,
  within,
  type Catalog,
  type Checked,
  type Context,
  type Expression,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { Labels } from '../catalog/labels';
import { answerNames } from '../catalog/names';
import type { Database } from '../database/database';

/** So many parts of a formula are shown. */
const mostSteps = 60;

interface Step {
  readonly text: string;
  readonly tree: Checked;
}

/**
 * A formula taken apart: what each of its parts gives for one record, the innermost first, the whole of it last. What has no
 * value by itself, such as a list, is left out. Throws where the formula is wrong, and `not_found` without the record.
 */
export async function stepsOf(
  database: Database,
  { catalog, context }: { readonly catalog: Catalog; readonly context: Context },
  type: RecordType,
  key: string,
  formula: string,
  ask: (statement: Sql) => Promise<Record<string, string | null>[]>,
): Promise<StepView[]> {
  const steps = within('formula', () => stepsIn(parse(formula), catalog, type, context));
  const answers = await answerNames(
    database,
    catalog,
    steps.flatMap((s) => namesIn(s.tree)),
  );
  const bound = steps.map((s) => ({ ...s, tree: bind(s.tree, answers, catalog) }));
  const scope = new Scope(type, context.env);
  const columns = bound.map(({ tree }, i) => sql`${asText(given(tree, scope))} as ${raw(`s${i}`)}`);
  const exact = within('key', () => canonicalKey(type, key));
  const [row] = await ask(
    sql`select ${join(columns, ', ')} from ${scope.from()} where ${keyIs(type, scope.root, value(exact))}`,
  );
  if (!row) return fail('not_found', 'There is no such record.', { where: 'key' });
  const labels = new Labels(database, catalog);
  bound.forEach(({ tree }, i) => tree.kind === 'field' && labels.want(tree.at.field, row[`s${i}`] ?? null));
  await labels.load();
  return bound.map(({ text, tree }, i) => {
    const said = row[`s${i}`] ?? null;
    return { text, value: tree.kind === 'field' ? labels.show(tree.at.field, said) : { value: said } };
  });
}

/** A field as it is; a number that is worked out without idle zeros, as TEXT writes it. */
function given(tree: Checked, scope: Scope): Sql {
  if (tree.kind === 'field') return scope.column(tree.at);
  const made = canonicalSql(tree, scope);
  return typeOf(tree) === 'number' ? sql`trim_scale(${made})` : made;
}

/** The whole, and every part of it that has a value of its own, each once. */
function stepsIn(formula: Expression, catalog: Catalog, type: RecordType, context: Context): Step[] {
  const found = new Map<string, Step>();
  const looked = new Set<string>();
  const visit = (e: Expression, isWhole: boolean): void => {
    const text = print(e);
    if (e.kind === 'literal' || looked.has(text) || looked.size >= mostSteps) return;
    looked.add(text);
    const tree = isWhole ? checkExpression(e, catalog, type, context) : checkedOrNull(e, catalog, type, context);
    // What is asked of records that point at this one is theirs.
    if (tree?.kind !== 'children') for (const part of partsOf(e)) visit(part, false);
    if (tree && tree.kind !== 'list' && tree.kind !== 'interval') found.set(text, { text, tree });
  };
  visit(formula, true);
  return [...found.values()];
}

function checkedOrNull(e: Expression, catalog: Catalog, type: RecordType, context: Context): Checked | null {
  try {
    return checkExpression(e, catalog, type, context);
  } catch (error) {
    // A part may mean something only where it stands.
    if (error instanceof ProblemError) return null;
    throw error;
  }
}
