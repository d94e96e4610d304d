import { clip, type Catalog, type Choice, type Field, type RecordType } from '../catalog/catalog';
import { resolvePath } from '../catalog/path';
import { editMembers, type Edit } from '../edits/edit';
import { checkExpression } from '../language/check';
import { typeOf } from '../language/checked';
import type { Context } from '../language/context';
import { evaluate } from '../language/evaluate/evaluate';
import { asPlainText } from '../language/functions/text';
import { parse } from '../language/parse';
import { quote } from '../language/print';
import { walkSyntax, type Expression } from '../language/syntax';
import { linkMeant } from './links';
import { fitToField } from '../language/value';
import { list } from '../language/words';
import { fail, inside, ProblemError, within } from '../problem';
import type { Job, JobPart } from './job';

/** Where in a job a value stands: a JSON Pointer (RFC 6901) and, in an expression, which of its literals, from 0. */
export interface Spot {
  readonly at: string;
  readonly literal?: number;
}

/** What a saved job asks for when it is used, in the place of a value that stands in it. */
export interface JobInput {
  /** As it is called on the command line and over HTTP. */
  readonly name: string;
  readonly label: string;
  /** Values of one kind, all of which it takes the place of. */
  readonly spots: readonly Spot[];
  /** An expression, such as TODAY() + 7; left out: the value that stands in the job. */
  readonly usual?: string;
  /** Of numbers and days: the least and the greatest. */
  readonly from?: string;
  readonly to?: string;
  /** The only values that may be chosen. */
  readonly among?: readonly string[];
}

/** `file`: the rows of a file of values, another of which takes their place under the same plan. */
export const inputKinds = [
  'record',
  'choice',
  'text',
  'number',
  'date',
  'moment',
  'yes_no',
  'selection',
  'list',
  'file',
] as const;
export type InputKind = (typeof inputKinds)[number];

/** A value of a job that may be asked for instead. */
export interface Constant {
  readonly spot: Spot;
  readonly kind: InputKind;
  /** As it stands there. */
  readonly text: string;
  /** What it is the value of, in words: “owner”, “by”. */
  readonly label: string;
  /** The type whose records may be chosen. */
  readonly type: string | null;
  readonly choices: readonly Choice[] | null;
}

/** The values that stand in a job, in the order in which they are said; of what cannot be read, none. */
export function constantsOf(job: Job, catalog: Catalog): readonly Constant[] {
  return found(job, catalog).map(({ field: _, ...constant }) => constant);
}

interface Found extends Constant {
  readonly field: Field | null;
}

function found(job: Job, catalog: Catalog): readonly Found[] {
  const later = (job.then ?? []).flatMap((part, i) => inPart(part, `/then/${i}`, catalog));
  const safety = (['atMost', 'askAfter'] as const).flatMap((name): Found[] => {
    const n = job.safety?.[name];
    const label = name === 'atMost' ? 'change nothing if more than' : 'ask me after the first';
    return typeof n === 'number' ? [plain(`/safety/${name}`, 'number', String(n), label)] : [];
  });
  return [...inPart(job, '', catalog), ...later, ...safety];
}

function inPart(part: JobPart, at: string, catalog: Catalog): readonly Found[] {
  const { selection, edits, also = [] } = part;
  const type = catalog.find(selection.type);
  if (!type) return [];
  const made = also.flatMap((a, i) => {
    const into = catalog.find(a.type);
    return into ? a.values.flatMap((v, j) => inEdit(v, `${at}/also/${i}/values/${j}`, into, catalog)) : [];
  });
  return [
    ...(selection.filter ? inExpression(selection.filter, `${at}/selection/filter`, type, catalog) : []),
    ...ofOneTime(part, at),
    ...edits.flatMap((edit, i) => inEdit(edit, `${at}/edits/${i}`, type, catalog)),
    ...made,
  ];
}

/** What people have pasted or sent: the records of a list, the rows of a file. */
function ofOneTime({ selection: { list }, from }: JobPart, at: string): Found[] {
  if (list)
    return [
      list.file === undefined
        ? plain(`${at}${spotOfList}`, 'list', list.id, 'pasted list')
        : plain(`${at}${spotOfList}`, 'file', list.id, `rows of ${list.file}`),
    ];
  // Of a file whose other rows change records, those that make some go with them.
  return at === '' && from && 'file' in from ? [plain(spotOfRows, 'file', from.file, 'rows of a file')] : [];
}

/** Where the id of a pasted list, or of the list of a file’s records, stands. */
const spotOfList = '/selection/list/id';
/** Where the id of a file stands of which records are only made. */
const spotOfRows = '/from/file';
/** Does something stand here that is of one time? */
export const isOfOneTime = ({ at }: Spot): boolean => at === spotOfList || at === spotOfRows;

function plain(at: string, kind: InputKind, text: string, label: string): Found {
  return { spot: { at }, kind, text, label, type: null, choices: null, field: null };
}

function ofField(spot: Spot, field: Field, text: string): Found {
  const { refersTo: type, choices, base } = field;
  const kinds = { number: 'number', date: 'date', moment: 'moment', yes_no: 'yes_no' } as const;
  const kind: InputKind =
    type !== null ? 'record' : choices ? 'choice' : base in kinds ? kinds[base as keyof typeof kinds] : 'text';
  return { spot, kind, text, label: field.label.toLowerCase(), type, choices, field };
}

/** Literals that a field is compared with, and names of saved selections. */
function inExpression(text: string, at: string, type: RecordType, catalog: Catalog): Found[] {
  const all = literalsOf(text);
  const constants: Found[] = [];
  const add = (name: Expression, literal: Expression): void => {
    const inner = literal.kind === 'call' && literal.args.length === 1 ? literal.args[0]! : literal;
    const n = all.findIndex((l) => l === inner);
    if (name.kind !== 'name' || name.isNew || n < 0 || inner.kind !== 'literal' || inner.type === 'null') return;
    try {
      constants.push(ofField({ at, literal: n }, resolvePath(catalog, type, name.path).field, inner.text));
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
    }
  };
  if (all.length === 0) return [];
  walkSyntax(all.tree, (e) => {
    if (e.kind === 'compare') {
      add(e.left, e.right);
      add(e.right, e.left);
    } else if (e.kind === 'in') e.list.forEach((item) => add(e.operand, item));
    else if (e.kind === 'between') [e.low, e.high].forEach((end) => add(e.operand, end));
    else if (e.kind === 'like') add(e.operand, e.pattern);
    else if (e.kind === 'call' && e.name === 'in_selection') {
      const n = all.findIndex((l) => l === e.args[0]);
      if (n >= 0)
        constants.push({ ...plain(at, 'selection', all[n]!.text, 'saved selection'), spot: { at, literal: n } });
    }
  });
  return constants.sort((a, b) => a.spot.literal! - b.spot.literal!);
}

type Literal = Extract<Expression, { kind: 'literal' }>;

/** The literals of an expression in the order in which they stand, and its tree; none where it cannot be read. */
function literalsOf(text: string): Literal[] & { tree: Expression } {
  const literals: Literal[] = [];
  let tree: Expression = { kind: 'literal', type: 'null', text: '', span: { start: 0, end: 0 } };
  try {
    tree = parse(text);
    walkSyntax(tree, (e) => {
      if (e.kind === 'literal') literals.push(e);
    });
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
  }
  return Object.assign(
    literals.sort((a, b) => a.span.start - b.span.start),
    { tree },
  );
}

const labels: Readonly<Record<string, string>> = {
  by: 'by',
  percent: 'percent',
  find: 'find',
  with: 'put in its place',
};

function inEdit(edit: Edit, at: string, type: RecordType, catalog: Catalog): Found[] {
  const link = linkMeant(edit, catalog, type);
  const field = link ? link.to : type.fields.find((f) => f.name.toLowerCase() === edit.field.toLowerCase());
  if (!field || field.hidden) return [];
  const members = edit as unknown as Readonly<Record<string, unknown>>;
  const constants: Found[] = [];
  for (const name of Object.keys(editMembers(edit.kind))) {
    const said = members[name];
    const here = `${at}/${name}`;
    if (name === 'value' || name === 'otherwise') {
      if (['string', 'number', 'boolean'].includes(typeof said))
        constants.push(ofField({ at: here }, field, String(said)));
    } else if (name === 'among' && Array.isArray(said))
      said.forEach((share: { to?: unknown }, i) => {
        if (typeof share.to === 'string') constants.push(ofField({ at: `${here}/${i}/to` }, field, share.to));
      });
    else if (name === 'entries' && link && Array.isArray(said))
      said.forEach((entry, i) => {
        if (typeof entry === 'string') constants.push(ofField({ at: `${here}/${i}` }, field, entry));
      });
    else if (name === 'where' && typeof said === 'string') constants.push(...inExpression(said, here, type, catalog));
    else if (name in labels && typeof said === 'number')
      constants.push(plain(here, 'number', String(said), labels[name]!));
    else if (name in labels && typeof said === 'string') constants.push(plain(here, 'text', said, labels[name]!));
  }
  return constants;
}

/** Checks what is asked for against the job that it is asked for in; problems say in which. */
export function checkInputs(job: Job, inputs: readonly JobInput[], catalog: Catalog, context: Context): void {
  const type = catalog.type(job.selection.type);
  const all = found(job, catalog);
  const taken = new Set<string>();
  inputs.forEach((input, i) =>
    inside(`inputs[${i}]`, () => {
      if (!/^[\p{L}][\p{L}\p{N}_-]*$/u.test(input.name))
        fail('bad_value', `“${clip(input.name)}” is no name of an input: letters, digits, - and _.`, { where: 'name' });
      if (inputs.some((other, j) => j < i && other.name.toLowerCase() === input.name.toLowerCase()))
        fail('name_taken', `Two inputs are called “${clip(input.name)}”.`, { where: 'name' });
      const constants = constantsAt(input, all);
      const kinds = new Set(constants.map((c) => `${c.kind} ${c.type ?? ''}`));
      if (kinds.size > 1) fail('type_mismatch', 'One input takes the place of values of one kind.', { where: 'spots' });
      for (const { at, literal } of input.spots) {
        const spot = `${at} ${literal ?? ''}`;
        if (taken.has(spot)) fail('bad_value', 'Two inputs take the place of one value.', { where: 'spots' });
        taken.add(spot);
      }
      if (
        constants[0]!.kind === 'file' &&
        [input.usual, input.from, input.to, input.among].some((v) => v !== undefined)
      )
        fail('bad_value', 'A file is said anew each time: nothing is usual, and nothing is chosen from.');
      if (input.usual !== undefined) usualOf(input, constants[0]!, type, catalog, context);
    }),
  );
}

function constantsAt({ name, spots }: JobInput, all: readonly Found[]): readonly Found[] {
  if (spots.length === 0) fail('bad_value', `“${clip(name)}” takes the place of nothing.`, { where: 'spots' });
  return spots.map(
    ({ at, literal }) =>
      all.find((c) => c.spot.at === at && c.spot.literal === literal) ??
      fail('bad_value', `“${clip(name)}” takes the place of a value that is not in the job (any more).`, {
        where: 'spots',
      }),
  );
}

/** What is asked for, with its usual value: as a form, an option or a schema needs it. */
export interface AskedInput extends Omit<JobInput, 'usual'> {
  readonly kind: InputKind;
  readonly type: string | null;
  readonly choices: readonly Choice[] | null;
  /** What is taken where nothing is said. */
  readonly usual: string;
}

export function askedOf(
  job: Job,
  inputs: readonly JobInput[],
  catalog: Catalog,
  context: Context,
): readonly AskedInput[] {
  const type = catalog.type(job.selection.type);
  const all = found(job, catalog);
  return inputs.map((input) => {
    const [constant] = constantsAt(input, all);
    const { kind, choices } = constant!;
    const among = input.among;
    return {
      ...input,
      kind,
      type: constant!.type,
      choices: among && choices ? choices.filter((c) => among.includes(c.value) || among.includes(c.label)) : choices,
      usual:
        kind === 'file'
          ? ''
          : input.usual === undefined
            ? constant!.text
            : usualOf(input, constant!, type, catalog, context),
    };
  });
}

/** The usual value, worked out at this moment. */
function usualOf(input: JobInput, { kind }: Constant, type: RecordType, catalog: Catalog, context: Context): string {
  return within('usual', () => {
    const tree = checkExpression(parse(input.usual!), catalog, type, context);
    const nothing = { read: () => null, children: () => [], selected: () => null };
    const value = evaluate(tree, nothing, context.env);
    const fits = kind === 'number' || kind === 'date' ? typeOf(tree) === kind : true;
    if (value === null || !fits)
      fail('bad_value', `“${clip(input.usual!)}” does not come to ${kind === 'date' ? 'a day' : 'a value'} by itself.`);
    return asPlainText(value);
  });
}

/** The job with what was said in the places of what it asks for; `said` by name, in any case. */
export function filledIn(
  job: Job,
  inputs: readonly JobInput[],
  said: Readonly<Record<string, string>>,
  catalog: Catalog,
  context: Context,
): Job {
  const names = inputs.map((i) => i.name);
  const given = new Map(Object.entries(said).map(([name, text]) => [name.toLowerCase(), text]));
  const unknown = Object.keys(said).find((name) => !names.some((n) => n.toLowerCase() === name.toLowerCase()));
  if (unknown !== undefined)
    fail('bad_value', `This job does not ask for “${clip(unknown)}”; it asks for ${list(names, 'and') || 'nothing'}.`, {
      where: `inputs.${unknown}`,
    });
  const all = found(job, catalog);
  const changed = structuredClone<Job>(job);
  const literals = new Map<string, Map<number, string>>();
  for (const asked of askedOf(job, inputs, catalog, context))
    within(`inputs.${asked.name}`, () => {
      const text = given.get(asked.name.toLowerCase()) ?? asked.usual;
      for (const constant of constantsAt({ ...asked, usual: '' }, all)) {
        const value = fitting(text, asked, constant);
        const { at, literal } = constant.spot;
        if (literal === undefined) put(changed, at, value, constant);
        else literals.set(at, (literals.get(at) ?? new Map<number, string>()).set(literal, value));
      }
    });
  for (const [at, values] of literals) {
    const text = read(changed, at) as string;
    const replaced = literalsOf(text)
      .map((l, i) => ({ l, value: values.get(i) }))
      .reverse()
      .reduce(
        (whole, { l, value }) =>
          value === undefined ? whole : whole.slice(0, l.span.start) + written(l, value) + whole.slice(l.span.end),
        text,
      );
    write(changed, at, replaced);
  }
  return changed;
}

/** What was said, as the place of the constant takes it. */
function fitting(text: string, asked: AskedInput, { kind, field }: Found): string {
  if (text.trim() === '') fail('bad_value', `Say ${asked.label}: nothing was said.`);
  const { among, from, to } = asked;
  // Names of records are looked up with all the others of the job.
  const value = ['record', 'selection', 'list', 'file'].includes(kind)
    ? text.trim()
    : field
      ? fitToField(field, text)
      : text;
  if (kind === 'number' && !/^-?\d+(\.\d+)?$/.test(value))
    fail('bad_value', `${asked.label} is a number, not “${clip(text)}”.`);
  const label = asked.choices?.find((c) => c.value === value)?.label;
  if (among && !among.includes(value) && !(label !== undefined && among.includes(label)))
    fail('bad_value', `${asked.label} is ${list(among.map(clip), 'or')}, not “${clip(text)}”.`);
  const order = (a: string, b: string): number =>
    kind === 'number' ? Number(a) - Number(b) : a < b ? -1 : a > b ? 1 : 0;
  if (from !== undefined && order(value, from) < 0) fail('bad_value', `${asked.label} is ${from} at least.`);
  if (to !== undefined && order(value, to) > 0) fail('bad_value', `${asked.label} is ${to} at most.`);
  return value;
}

/** A value in the place of a literal, as a literal of the same type. */
function written({ type }: Literal, value: string): string {
  if (type === 'number') return value;
  if (type === 'date') return `DATE(${quote(value)})`;
  return type === 'moment' ? `TIMESTAMP(${quote(value)})` : quote(value);
}

function put(job: Job, at: string, value: string, { kind }: Constant): void {
  const now = read(job, at);
  write(job, at, typeof now === 'number' && kind === 'number' ? Number(value) : value);
}

function read(job: Job, at: string): unknown {
  return at
    .split('/')
    .slice(1)
    .reduce<unknown>((here, step) => (here as Readonly<Record<string, unknown>>)[step], job);
}

function write(job: Job, at: string, value: unknown): void {
  const steps = at.split('/').slice(1);
  const last = steps.pop()!;
  const parent = steps.reduce<unknown>((here, step) => (here as Readonly<Record<string, unknown>>)[step], job);
  (parent as Record<string, unknown>)[last] = value;
}
