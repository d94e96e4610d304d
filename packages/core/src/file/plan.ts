import { fieldNamed, type Catalog, type Field, type RecordType } from '../catalog/catalog';
import { keyFields } from '../catalog/key';
import { pathText, resolveColumn } from '../catalog/path';
import type { Change } from '../edits/change';
import { amongActive } from '../edits/edit';
import { editableField, givenField } from '../edits/value';
import { worked } from '../edits/worked';
import { and, fieldTree, not } from '../language/build';
import { checkExpression } from '../language/check';
import type { Checked, FieldPath } from '../language/checked';
import type { Context } from '../language/context';
import { fieldKindWords } from '../language/types';
import { noResultsOf, type NoResult } from '../language/no-result';
import { parse } from '../language/parse';
import { pathName } from '../language/print';
import { walkSyntax, type Expression, type Part } from '../language/syntax';
import { clip, fail, Gathered, inside, ProblemError, within } from '../problem';
import { besideChange, isColumn } from './beside';
import { columnNamed } from './column';
import {
  columnField,
  dateOrders,
  decimalMarks,
  fileType,
  readName,
  saidName,
  type CellReading,
  type DateOrder,
  type DecimalMark,
} from './file-type';

/** What the column of signatures is called; a signature is the id of the export, a colon, and the record's key. */
export const signedColumn = 'Tantamos';

/** What a kept file's rows are to do: which records they are about, and what each of their columns becomes. */
export interface FilePlan {
  readonly type: string;
  /** A row is about the record of which all of these are what its cells say. */
  readonly match: readonly FileMatch[];
  readonly take: readonly FileTake[];
  /** The column of signatures of an export that comes back (see `signedColumn`); with it nothing else need match. */
  readonly signed?: string;
  /** By column, where it was said. */
  readonly readings?: Readonly<Record<string, ReadingSaid>>;
  /** What an empty cell does to its field. */
  readonly blank: 'leave' | 'clear';
  /** Rows that fit no record: nothing is done, they are left out, or records are made of them. */
  readonly unknown: 'stop' | 'skip' | 'create';
  /** Rows that fit several records: left out, or all of these get their values. */
  readonly several: 'skip' | 'all';
}

export interface FileMatch {
  readonly column: string;
  /** A field or a path. */
  readonly field: string;
}

export interface FileTake {
  readonly field: string;
  /** The column whose cells the field gets; or: */
  readonly column?: string;
  /** What is worked out of the columns: `file.price * 1.05`, and of fields of the record: `MAX(price, file.price)`. */
  readonly formula?: string;
}

export interface ReadingSaid {
  readonly decimal?: DecimalMark;
  readonly dates?: DateOrder;
}

/** A column of a file and how its cells are read where nobody says so; `order` null: its dates are ambiguous. */
export interface FileColumn {
  readonly name: string;
  /** What all of its cells can be read as. */
  readonly looks: 'text' | 'number' | 'date';
  readonly decimal: DecimalMark;
  readonly order: DateOrder | null;
}

/** A plan whose every name has been found. */
export interface CheckedPlan {
  readonly type: RecordType;
  /** The rows as records; its fields are those of `columns`. */
  readonly rows: RecordType;
  readonly columns: readonly { readonly name: string; readonly reading: CellReading }[];
  readonly match: readonly { readonly column: number; readonly path: FieldPath }[];
  /** Over rows; their fields are those of `type`. */
  readonly changes: readonly Change[];
  /** Over rows, too: columns that formulas read beside fields of the record, which are worked out with it (`ColumnsBeside`). */
  readonly carried: readonly Change[];
  /** Of each of `changes`, then of `carried`: the columns that it reads, and whether it is the cell of that column itself. */
  readonly reads: readonly (readonly number[])[];
  readonly isCell: readonly boolean[];
  readonly beside: readonly BesideTake[];
  /** The place of the column of signatures. */
  readonly signed: number | null;
  readonly plan: FilePlan;
  readonly catalog: Catalog;
}

/** A field that gets what a formula gives of columns and of fields of its record. */
export interface BesideTake {
  readonly field: string;
  readonly formula: string;
  /** `carried`: the place of its values among what is carried. */
  readonly columns: readonly { readonly name: string; readonly as: CellReading['as']; readonly carried: number }[];
}

/** All that the rows give their records. */
export function valuesOf({ changes, carried }: Pick<CheckedPlan, 'changes' | 'carried'>): readonly Change[] {
  return [...changes, ...carried];
}

/** Throws everything that is wrong with it; columns whose dates are ambiguous among that. */
export function checkPlan(
  plan: FilePlan,
  file: { readonly id: string; readonly columns: readonly FileColumn[] },
  catalog: Catalog,
  context: Context,
): CheckedPlan {
  const type = within('type', () => catalog.type(plan.type));
  const problems = new Gathered();
  problems.gather(() => {
    keyFields(type);
    if (type.notChangeable !== null) fail('not_changeable', type.notChangeable, { where: 'type' });
  });
  const match = plan.match.flatMap(
    (m, i) =>
      problems.gather(() =>
        inside(`match[${i}]`, () => ({
          column: columnNamed(m.column, file.columns),
          path: within('field', () => matchable(resolveColumn(catalog, type, m.field))),
        })),
      ) ?? [],
  );
  const signed = plan.signed === undefined ? null : within('signed', () => columnNamed(plan.signed!, file.columns, {}));
  if (plan.match.length === 0 && signed === null)
    problems.gather(() =>
      fail('bad_value', 'Say by which column rows and records find each other.', { where: 'match' }),
    );
  if (plan.take.length === 0)
    problems.gather(() => fail('no_edits', 'Say which columns to take.', { where: 'take[0]' }));
  // What a column is read as follows from what it is taken for.
  const bases = new Map<number, Set<Field['base']>>();
  const asks = plan.take.map(
    (take, i) =>
      problems.gather(() =>
        inside(`take[${i}]`, () => {
          const field = takenField(type, take, plan);
          const asked = columnsRead(take, file.columns);
          if (take.formula === undefined) into(bases, asked.columns[0]!, wantedOf(field));
          if (asked.isBeside && plan.unknown === 'create')
            fail(
              'bad_value',
              'What is worked out of fields of the record gives new records nothing: leave rows out that fit none, or use columns alone.',
              { where: 'formula' },
            );
          return asked;
        }),
      ) ?? { columns: [], isBeside: false },
  );
  for (const { column, path } of match) into(bases, column, wantedOf(path.field));
  const readings = file.columns.map((column, i) => {
    const asked = [...(bases.get(i) ?? [])];
    const inFormula = plan.take.some((t, j) => t.formula !== undefined && asks[j]!.columns.includes(i));
    const base = asked.find((b) => b !== 'text') ?? (inFormula && asked.length === 0 ? 'guess' : 'text');
    return problems.gather(() => readingOf(column, base, plan.readings ?? {})) ?? ({ as: 'text' } as const);
  });
  problems.raise();
  const columns = file.columns.map(({ name }, i) => ({ name, reading: readings[i]! }));
  const rows = fileType(file.id, columns, { zone: context.env.timeZone });
  const taken = new Set<string>();
  const made: { change: Change; reads: readonly number[]; isCell: boolean }[] = [];
  const carried = new Map<number, Change>();
  const beside: BesideTake[] = [];
  plan.take.forEach((take, i) =>
    problems.gather(() =>
      inside(`take[${i}]`, () => {
        const field = takenField(type, take, plan);
        if (taken.has(field.name)) fail('same_field_twice', `${field.name} is given twice.`, { where: 'field' });
        taken.add(field.name);
        const { columns: reads, isBeside } = asks[i]!;
        const { formula } = take;
        if (formula === undefined || !isBeside) {
          const change =
            formula === undefined
              ? ofColumn(field, reads[0]!, rows, columns, catalog)
              : ofFormula(field, formula, { columns: file.columns, read: columns, reads, rows }, catalog, context);
          return made.push({ change: amongActive(change, { catalog }), reads, isCell: formula === undefined });
        }
        for (const column of reads) {
          const { name, reading } = columns[column]!;
          if (!carried.has(column))
            carried.set(column, ofColumn(columnField(name, name, reading.as), column, rows, columns, catalog));
        }
        const places = [...carried.keys()];
        const kept = reads.map((c) => ({
          name: columns[c]!.name,
          as: columns[c]!.reading.as,
          carried: places.indexOf(c),
        }));
        // What is wrong with it is said here and not in the job that comes of it.
        const read = kept.map(({ name, as, carried: at }) => ({ name, as, at: at + 1 }));
        besideChange(formula, { id: file.id, columns: read }, field, { type, catalog, context });
        return beside.push({ field: field.name, formula, columns: kept });
      }),
    ),
  );
  problems.raise();
  return {
    type,
    rows,
    columns,
    match,
    changes: made.map((m) => m.change),
    carried: [...carried.values()],
    reads: [...made.map((m) => m.reads), ...[...carried.keys()].map((column) => [column])],
    isCell: [...made.map((m) => m.isCell), ...[...carried.keys()].map(() => false)],
    beside,
    signed,
    plan,
    catalog,
  };
}

function into<K, V>(map: Map<K, Set<V>>, key: K, item: V): void {
  map.set(key, (map.get(key) ?? new Set()).add(item));
}

/** A field that may be given: of records that are made, what is their key, too. */
function takenField(type: RecordType, { field }: FileTake, { unknown }: FilePlan): Field {
  return unknown === 'create' ? editableOrKey(type, field) : editableField(type, field);
}

function editableOrKey(type: RecordType, name: string): Field {
  const field = fieldNamed(type, name);
  return field && type.key.includes(field.name) ? givenField({ type, into: type }, name) : editableField(type, name);
}

function matchable(path: FieldPath): FieldPath {
  const { base, refersTo, label } = path.field;
  if (refersTo !== null)
    fail('type_mismatch', `${label} points at records: match a field of theirs, such as ${pathText(path)}.name.`);
  if (!['text', 'number', 'date', 'uuid'].includes(base))
    fail('type_mismatch', `${label} is ${fieldKindWords(path.field)}, by which no records are found.`);
  return path;
}

/** What the cells of a column that becomes the field are read as. */
function wantedOf(field: Field): Field['base'] {
  if (field.refersTo !== null || field.choices !== null) return 'text';
  return ['number', 'yes_no', 'date', 'moment'].includes(field.base) ? field.base : 'text';
}

function readingOf(
  column: FileColumn,
  base: Field['base'] | 'guess',
  said: NonNullable<FilePlan['readings']>,
): CellReading {
  const { decimal = column.decimal, dates = column.order } = Object.hasOwn(said, column.name) ? said[column.name]! : {};
  const where = `readings.${column.name}`;
  if (!decimalMarks.includes(decimal))
    fail('bad_value', 'Fractions are written with . or with a comma.', { where: `${where}.decimal` });
  if (dates !== null && !dateOrders.includes(dates))
    fail('bad_value', 'Dates are dmy or mdy.', { where: `${where}.dates` });
  // In a formula a column is what it looks like.
  switch (base === 'guess' ? column.looks : base) {
    case 'number':
      return { as: 'number', decimal };
    case 'yes_no':
      return { as: 'yes_no' };
    case 'date':
    case 'moment':
      if (dates === null)
        fail(
          'bad_value',
          `The dates in “${clip(column.name)}” can be read in two ways: is 3/4/2026 the third of April (dmy) or the fourth of March (mdy)?`,
          { where: `readings.${column.name}.dates`, suggestions: ['dmy', 'mdy'] },
        );
      return { as: base === 'moment' ? 'moment' : 'date', order: dates };
    default:
      return { as: 'text' };
  }
}

/** The columns that a field's value is read from; `isBeside`: fields of the record are read, too. */
function columnsRead(
  { column, formula }: FileTake,
  columns: readonly FileColumn[],
): { readonly columns: readonly number[]; readonly isBeside: boolean } {
  if ((column === undefined) === (formula === undefined))
    fail('bad_value', 'A field gets a column, or what is worked out of some: say one of them.', { where: 'column' });
  if (column !== undefined) return { columns: [columnNamed(column, columns)], isBeside: false };
  const read = new Set<number>();
  const others: Extract<Expression, { kind: 'name' }>[] = [];
  within('formula', () => {
    walkSyntax(parse(formula!), (e) => {
      if (e.kind !== 'name') return;
      if (isColumn(e.path)) read.add(columnIn(e.path, e, columns));
      else others.push(e);
    });
    const [other] = others;
    if (other && read.size === 0) columnIn(other.path, other, columns);
  });
  return { columns: [...read], isBeside: others.length > 0 };
}

/** The column that `file.price` is. */
function columnIn(path: readonly Part[], { span }: Pick<Expression, 'span'>, columns: readonly FileColumn[]): number {
  if (!isColumn(path))
    fail(
      'unknown_field',
      `What is worked out of a file reads its columns: file.${columns[0]?.name ?? 'column'}, not “${clip(pathName(path))}”.`,
      {
        span,
        suggestions: columns.slice(0, 5).map((c) => pathName([{ name: 'file' }, { name: c.name }])),
      },
    );
  return columnNamed(path[1]!.name, columns, { span: path[1]!.span });
}

/** The expression with other names. */
function renamed(e: Expression, rename: (path: readonly Part[], e: Expression) => readonly Part[]): Expression {
  const go = (part: unknown): unknown => {
    if (Array.isArray(part)) return part.map(go);
    if (typeof part !== 'object' || part === null) return part;
    const node = part as { kind?: string; path?: readonly Part[] };
    if (node.kind === 'name') return { ...node, path: rename(node.path!, node as Expression) };
    return Object.fromEntries(
      Object.entries(part).map(([key, inner]) => [key, key === 'span' || key === 'nameSpan' ? inner : go(inner)]),
    );
  };
  return go(e) as Expression;
}

function ofColumn(
  field: Field,
  column: number,
  rows: RecordType,
  columns: CheckedPlan['columns'],
  catalog: Catalog,
): Change {
  const tree = fieldTree(rows, fieldNamed(rows, readName(column))!);
  return { field, value: valueOf(tree, field, catalog, unreadable(column, rows, columns)), when: null };
}

/** Something stands in the cell, and what it is read as is nothing. */
function unreadable(column: number, rows: RecordType, columns: CheckedPlan['columns']): readonly NoResult[] {
  const { name, reading } = columns[column]!;
  if (reading.as === 'text') return [];
  const [read, said] = [readName(column), saidName(column)].map((n) => fieldTree(rows, fieldNamed(rows, n)!));
  const isThere = not({ kind: 'isNull', operand: said! });
  const when = and(isThere, { kind: 'isNull', operand: read! })!;
  return [{ when, words: `“${clip(name)}” is no ${readWords[reading.as]}`, always: true }];
}

const readWords = { number: 'number', yes_no: 'yes or no', date: 'date', moment: 'moment' } as const;

function ofFormula(
  field: Field,
  formula: string,
  of: {
    readonly columns: readonly FileColumn[];
    readonly read: CheckedPlan['columns'];
    readonly reads: readonly number[];
    readonly rows: RecordType;
  },
  catalog: Catalog,
  context: Context,
): Change {
  const { columns, read, reads, rows } = of;
  return calledByColumn(columns, () => {
    const written = parse(formula);
    const expression = renamed(written, (path, e) => [{ name: readName(columnIn(path, e, columns)), span: e.span }]);
    const tree = checkExpression(expression, catalog, rows, context);
    const refusals = [
      ...reads.flatMap((column) => unreadable(column, rows, read)),
      ...noResultsOf(tree)
        .filter((r) => !r.blank)
        .map((r): NoResult => ({ ...r, always: true })),
    ];
    return { field, value: valueOf(tree, field, catalog, refusals, written), when: null };
  });
}

/** Problems with a formula name columns as the person does. */
function calledByColumn<T>(columns: readonly FileColumn[], work: () => T): T {
  try {
    return within('formula', work);
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const named = (text: string): string =>
      text.replace(/\bc(\d+)\b/g, (as, n: string) => {
        const column = columns[Number(n) - 1];
        return column ? pathName([{ name: 'file' }, { name: column.name }]) : as;
      });
    const [first, ...rest] = error.problems.map((p) => ({
      ...p,
      message: named(p.message),
      ...(p.suggestions ? { suggestions: p.suggestions.map(named) } : {}),
    }));
    throw new ProblemError(first!, ...rest);
  }
}

function valueOf(
  tree: Checked,
  field: Field,
  catalog: Catalog,
  refusals: readonly NoResult[],
  written?: Expression,
): Change['value'] {
  return worked(tree, field, catalog, { blank: 'cleared', refusals, ...(written ? { written } : {}) });
}

/** What records that are made of rows get: what rows are found by, too, where that is a field of their own. */
export function changesOfNew({ match, changes, type, rows }: CheckedPlan): readonly Change[] {
  const found = match.flatMap(({ column, path: { through, field } }): Change[] => {
    const isOpen = field.notEditable === null || (type.key.includes(field.name) && !field.generated);
    if (through.length > 0 || !isOpen || changes.some((c) => c.field.name === field.name)) return [];
    const tree = fieldTree(rows, fieldNamed(rows, readName(column))!);
    return [{ field, value: { from: 'expression', tree }, when: null }];
  });
  return [...found, ...changes];
}
