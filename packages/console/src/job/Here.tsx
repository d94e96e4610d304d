import type { FieldView, RecordView, TypeView } from '@tantamos/contract';
import {
  Catalog,
  checkExpression,
  evaluate,
  asPlainText,
  noContext,
  noResultsOf,
  parse,
  typeOf,
  walk,
  type Checked,
  type Env,
  type Readable,
  type RecordType,
} from '@tantamos/core';
import { useQueries } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { usePerson } from '../app/session';
import { queries } from '../queries';
import { isFreeText, isNumber, type Result } from './edits/form';
import { Results } from './edits/Results';

/**
 * What a formula comes to for a few records while it is typed, worked out here by the evaluator; what only the service can
 * know (other records, names, limits of the field) it says a moment later.
 */
export default function Here({
  type,
  field,
  formula,
  before,
}: {
  type: TypeView;
  field: FieldView;
  formula: string;
  before: readonly Result[];
}) {
  const { workspace } = usePerson();
  const [now] = useState(() => BigInt(Date.now()) * 1000n);
  const records = useQueries({ queries: before.map((r) => queries.record(type.id, r.key)) });
  const tree = useMemo(() => treeFor(type, field, formula), [type, field, formula]);
  if (!tree) return null;
  const results = before.map((r, i) => {
    const record = records[i]?.data;
    return record ? resultFor(tree, field, record, { timeZone: workspace.timeZone, now }, r) : null;
  });
  // All of them or none: a list that grows and shrinks while one types is none to read.
  return results.every((r) => r !== null) ? <Results results={results} /> : null;
}

const readHere: readonly string[] = ['number', 'text', 'date', 'yes_no'];

/** The formula, where it asks for nothing but plain fields of the record itself and gives what the field holds. */
function treeFor(view: TypeView, field: FieldView, formula: string): Checked | null {
  if (!isNumber(field) && !isFreeText(field)) return null;
  const type: RecordType = {
    ...view,
    schema: '',
    table: view.id,
    onlyActive: null,
    hasPlaces: false,
    isLockable: false,
    shows: null,
    isPartitioned: false,
    rules: [],
    pointers: [],
    rowRules: null,
    limits: null,
  };
  try {
    const tree = checkExpression(parse(formula), new Catalog([type]), type, noContext);
    let isHere = typeOf(tree) === field.base;
    walk(tree, (node) => {
      if (node.kind === 'children' || node.kind === 'selected' || node.kind === 'named') isHere = false;
      if (node.kind === 'field') isHere &&= node.at.through.length === 0 && readHere.includes(node.at.field.base);
    });
    return isHere ? tree : null;
  } catch {
    // What is wrong with it the service says, with all that it knows.
    return null;
  }
}

function resultFor(tree: Checked, field: FieldView, record: RecordView, env: Env, before: Result): Result | null {
  const values = new Map(record.fields.map((f) => [f.name, f.value.value]));
  const read: Readable = {
    read: (path) => values.get(path.field.name) ?? null,
    children: () => [],
    selected: () => null,
  };
  const value = evaluate(tree, read, env);
  if (value === null) {
    const reason = noResultsOf(tree).find((r) => evaluate(r.when, read, env) === true);
    return reason ? { ...before, change: undefined, cause: `${field.label}: ${reason.words}.` } : null;
  }
  const said = fitted(value, field);
  if (said === null) return null;
  const old = { value: values.get(field.name) ?? null };
  return {
    ...before,
    cause: null,
    change: { field: field.name, label: field.label, kind: field.kind, old, new: { value: said } },
  };
}

/** As the field holds it; null where it may not fit, which is the service's to say. */
function fitted(value: NonNullable<ReturnType<typeof evaluate>>, { base, scale, maxLength }: FieldView): string | null {
  // Numbers have the decimals of their field, as the database rounds them; one that should be whole is not rounded.
  const isRounded = typeof value === 'object' && 'round' in value && scale !== null && scale > 0;
  const text = asPlainText(isRounded ? value.round(scale, 1) : value);
  if (base === 'text') return maxLength === null || text.length <= maxLength ? text : null;
  if (!/^-?\d{1,12}(\.\d{1,12})?$/.test(text) || (scale === 0 && text.includes('.'))) return null;
  return isRounded ? Number(text).toFixed(scale) : text;
}
