import type { Catalog, Field, RecordType, Trigger } from '../catalog/catalog';
import { hasKey } from '../catalog/key';
import { fail } from '../problem';
import { treesOf, type Change } from '../edits/change';
import { pointedAtBy, pointing, unfilled } from '../job/also';
import type { Fall } from '../job/falls';
import type { ReferenceChange, referencesTo } from '../job/references';
import type { CheckedJob, CheckedJobPart, Job, JobPart } from '../job/job';
import type { EntryEdit } from '../job/links';
import { isRows, rowsId } from '../file/file-type';
import { walkOwn, type Checked, type FieldPath } from '../language/checked';
import type { Env } from '../language/functions/entry';
import type { OwnRule } from '../language/own-rule';
import { freezeTree, thawTree, typeNow, type FrozenTree } from '../language/frozen';
import type { CheckedSelection, CheckedTake } from '../language/checked';

// A work order: what a preview has worked out, and all that a run needs to know. Its records, signatures and values are
// rows of the control tables; what they mean stands here, as JSON.

/** The version of the frozen form: of this JSON, and of what stands in the tables. */
export const frozenForm = 1;

export type Act = 'update' | 'create' | 'delete';

export interface WorkOrder {
  readonly form: typeof frozenForm;
  /** The time its expressions mean; the moment in microseconds, as text. */
  readonly env: { readonly timeZone: string; readonly now: string };
  /** All records of a part are done before the next begins. */
  readonly parts: readonly OrderPart[];
}

export interface OrderPart {
  readonly id: string;
  readonly act: Act;
  /** The type whose records are changed, made or removed. */
  readonly type: string;
  /** The type whose keys are frozen: `type`, or that of the records for which others are made; null where for none. */
  readonly of: string | null;
  /** The frozen keys are numbers of rows, of a file or of nothing at all: no record is known by them. */
  readonly ofRows?: true;
  /** What goes into a record's signature: bound trees over `of`. */
  readonly reads: readonly FrozenTree[];
  /** Fields whose values are frozen, in order. */
  readonly writes: readonly string[];
  /** What their columns were declared of when that was done: another type by now stores other values. Absent in older orders. */
  readonly declared?: readonly string[];
  /**
   * What each of `writes` becomes, where it is known to fit and nothing but the record itself is read: such values can be worked
   * out again, and a batch be proved as a whole instead of compared record by record (see `proof`).
   */
  readonly makes?: readonly Becoming<FrozenTree>[];
  /** Records read others of this part: readers go before what they read, one batch after another. */
  readonly inOrder: boolean;
  /** Somebody has said in which order: lanes begin at the first record, not each at a share of its own. */
  readonly sorted?: true;
  /**
   * Values of which each may be there once pass from record to record, so that the records of a batch are written one after
   * another as they stand in it; `around`: some of them in a circle, whose records all give up theirs before any gets its own.
   */
  readonly passing?: Passing;
  readonly dealt?: Dealt;
  readonly entry?: EntryOf;
  /** What is made or removed with each record, in its transaction. */
  readonly along: readonly Along[];
}

/** `tree` where `when` holds (null: always), else what the field has. */
export interface Becoming<Tree> {
  readonly tree: Tree;
  readonly when: Tree | null;
}

/**
 * Of a part that makes one record for each that `by` of an earlier part's records points at: only where at least one of these
 * is dealt with.
 */
export interface Dealt {
  readonly part: number;
  readonly type: string;
  readonly by: string;
}

/**
 * Of a part that makes or removes links (see `linksOf`): which part of the job, which of its edits, and which entry of that
 * says so; null: all of its entries.
 */
export interface EntryOf {
  readonly part: number;
  readonly edit: number;
  readonly entry: number | null;
}

export type Passing = { readonly how: 'along' } | { readonly how: 'around'; readonly field: string };

export interface Along {
  readonly id: string;
  /**
   * `delete` and `blank` (the field that points): of what points at a record that goes. `restore`: what was blanked gets its
   * value again.
   */
  readonly act: 'create' | 'delete' | 'blank' | 'restore' | 'default' | 'follow';
  /**
   * Of what refers to a value that the part changes: which field that is. Such references are cleared (`blank`) or set to their
   * default before it changes, or get the new value by the database itself (`follow`).
   */
  readonly referenced?: string;
  /** Of an undo: these references were cleared or set to their default because this field of the part changed. */
  readonly restoredWith?: string;
  /** Of an undo: the place of the entry that it takes back, among all of the run's order. */
  readonly was?: number;
  /** Of a delete: a run created them, so that one that is gone already hinders nothing. */
  readonly created?: true;
  readonly type: string;
  /** The field that points at the record. */
  readonly by: string;
  /** The fields whose values are frozen: of what is made the rest, of what goes all, of what is blanked the one. */
  readonly writes: readonly string[];
  /** Whose record it points at: that of another entry, by its place among the part's; null: the part's own. */
  readonly under: number | null;
}

/** What is to be frozen: parts with their trees checked and bound. */
export interface CheckedPart {
  readonly id: string;
  readonly act: Act;
  readonly type: RecordType;
  /** Which records; for a create, those for which one is made each. */
  readonly selection: CheckedSelection;
  /** Over the records of the selection; their fields are those of `type`. */
  readonly changes: readonly Change[];
  /** Of an update: what is right already is written all the same. */
  readonly again?: boolean;
  /** The workspace's own, of its type. */
  readonly rules?: readonly OwnRule[];
  readonly along: readonly CheckedAlong[];
  /** Of a delete: what goes or is blanked with each record (see `fallsOf`). */
  readonly falls?: readonly Fall[];
  /** Of an update: what refers to values that change (see `referencesTo`). */
  readonly references?: ReturnType<typeof referencesTo>;
  readonly dealt?: Dealt;
  readonly entry?: EntryOf;
  /** In which its records are dealt with; left out: that of their keys. */
  readonly order?: CheckedTake['order'];
}

/** A record made for each record of a part: `changes` are over the part's record, its fields those of `type`. */
export interface CheckedAlong {
  readonly id: string;
  readonly type: RecordType;
  readonly by: Field;
  readonly changes: readonly Change[];
}

/** Every `along` of an order with the place it has among them all, which is what the tables know it by. */
export function alongOf(
  order: WorkOrder,
): readonly { readonly part: number; readonly entry: Along; readonly at: number }[] {
  return order.parts.flatMap((p, part) => p.along.map((entry) => ({ part, entry }))).map((a, at) => ({ ...a, at }));
}

/** A job as the parts of an order: of each of its own first what is done to its records, then what is made for them. */
export function partsOfJob(job: CheckedJob): readonly CheckedPart[] {
  const parts: CheckedPart[] = [];
  for (const [i, of] of [job, ...job.then].entries()) parts.push(...partsOf(of, i, parts.length));
  return parts;
}

/** The job of what is left of another: `keysOf` tells which records of each part of its order; null where none are. */
export function leftOfJob(job: Job, order: WorkOrder, keysOf: (part: number) => readonly string[]): Job | null {
  const parts: JobPart[] = [];
  let at = 0;
  const left = (part: Omit<JobPart, 'selection'>): void => {
    const of = order.parts[at]!.of ?? order.parts[at]!.type;
    const keys = keysOf(at++);
    if (keys.length > 0) parts.push({ ...part, selection: { type: of, keys } });
  };
  for (const [i, { edits: all, act, from, also = [], writeAgain }] of [job, ...(job.then ?? [])].entries()) {
    const ofLinks = order.parts.flatMap((p) => (p.entry?.part === i ? [p.entry] : []));
    const edits = all.filter((_, n) => !ofLinks.some((l) => l.edit === n));
    const hasOwn = act !== undefined || edits.length > 0;
    const along = also.filter((a) => hasOwn && a.per === undefined);
    if (hasOwn)
      left({
        edits,
        ...(act ? { act } : {}),
        ...(from ? { from } : {}),
        ...(along.length > 0 ? { also: along } : {}),
        ...(writeAgain ? { writeAgain } : {}),
      });
    for (const { per: _, first: __, ...made } of also.filter((a) => !along.includes(a)))
      left({ edits: [], also: [made] });
    for (const { edit, entry } of ofLinks) {
      const said = all[edit] as EntryEdit;
      left(entry === null ? { edits: [], act: 'delete' } : { edits: [{ ...said, entries: [said.entries[entry]!] }] });
    }
  }
  const [first, ...then] = parts;
  if (!first) return null;
  const { why } = job;
  // An order is said of the first part's records alone.
  const isFirst = keysOf(0).length > 0;
  const safety = job.safety && !isFirst ? { ...job.safety, order: null } : job.safety;
  return {
    ...first,
    ...(then.length > 0 ? { then } : {}),
    ...(safety ? { safety } : {}),
    ...(why === undefined ? {} : { why }),
  };
}

/** Of each of a job's own parts, how many records it matches, from how many each part of its order does. */
export function matchedOf(job: CheckedJob, matched: readonly number[]): readonly (number | undefined)[] {
  return ownPlaces(job).map((at) => (at === null ? undefined : matched[at]));
}

/** Which part of its order deals with the records of each part of a job itself; null where only others do, along with them. */
export function ownPlaces(job: CheckedJob): readonly (number | null)[] {
  let at = 0;
  return [job, ...job.then].map((of, i) => {
    const parts = partsOf(of, i, at);
    const own = parts.findIndex((p) => p.selection === of.selection);
    at += parts.length;
    return own < 0 ? null : at - parts.length + own;
  });
}

function partsOf(
  { type, selection, act, changes, writeAgain, rules, also, falls, references, links, order }: CheckedJobPart,
  which: number,
  at: number,
): CheckedPart[] {
  const hasOwn = act !== 'update' || changes.length > 0;
  const along = hasOwn ? also.filter((a) => a.per === null) : [];
  const apart = also.filter((a) => !along.includes(a));
  const own: CheckedPart = {
    id: type.id,
    act: act === 'copy' ? 'create' : act,
    type,
    selection,
    changes: act === 'delete' ? [] : changes,
    again: writeAgain,
    ...(order ? { order } : {}),
    rules,
    along: along.map((a) => ({ id: a.type.id, type: a.type, by: a.by, changes: a.changes })),
    ...(act === 'delete' ? { falls } : {}),
    ...(act === 'update' ? { references } : {}),
  };
  return [
    ...(hasOwn ? [own] : []),
    ...apart.map((a): CheckedPart => ({
      id: a.type.id,
      act: 'create',
      type: a.type,
      selection: a.per ? pointedAtBy(selection, a.per, a.of) : selection,
      changes: [pointing(a), ...a.changes],
      along: [],
      ...(a.per && hasOwn && act === 'update' ? { dealt: { part: at, type: type.id, by: a.per.name } } : {}),
    })),
    ...links.map((l): CheckedPart => ({
      id: l.link.type.id,
      act: l.act,
      type: l.link.type,
      selection: l.selection,
      changes: l.changes,
      along: [],
      falls: l.falls,
      entry: { part: which, edit: l.edit, entry: l.entry },
    })),
  ];
}

export function orderOf(parts: readonly CheckedPart[]): WorkOrder {
  const { timeZone, now } = parts[0]!.selection.env;
  return {
    form: frozenForm,
    env: { timeZone, now: String(now) },
    parts: parts.map((part, i) => partOf(part, i === 0)),
  };
}

export function envOf({ env }: WorkOrder): Env {
  return { timeZone: env.timeZone, now: BigInt(env.now) };
}

/** Fields of a type whose values can be written back when a record is made again. */
export function wholeRecord(type: RecordType): readonly Field[] {
  return type.fields.filter((f) => !f.generated);
}

function partOf(part: CheckedPart, isFirst: boolean): OrderPart {
  const { id, act, type, selection, changes } = part;
  // Rows of a file, and what is made out of nothing, are nobody's records: nothing of them is looked at again.
  const ofRows = isRows(selection.type);
  const reads = ofRows ? [] : readsOf(part);
  const writes = act === 'delete' ? wholeRecord(type).map((f) => f.name) : changes.map((c) => c.field.name);
  // Later parts read what earlier ones will write, which is not there when they are frozen.
  const makes = isFirst ? makesOf(part) : null;
  return {
    id,
    act,
    type: type.id,
    of: ofRows ? null : selection.type.id,
    ...(ofRows ? { ofRows } : {}),
    reads: reads.map(freezeTree),
    writes,
    ...(act === 'update' ? { declared: changes.map((c) => c.field.declared) } : {}),
    ...(makes
      ? { makes: makes.map(({ tree, when }) => ({ tree: freezeTree(tree), when: when && freezeTree(when) })) }
      : {}),
    ...(part.dealt ? { dealt: part.dealt } : {}),
    ...(part.entry ? { entry: part.entry } : {}),
    ...(part.order ? { sorted: true as const } : {}),
    // What falls with a record falls with the first of those it points at: these go one after another too.
    // Keys that are counted on from the highest are drawn by one lane.
    inOrder:
      (act === 'update' && readsItsOwn(type, reads, writes)) ||
      (act === 'delete' && (part.falls ?? []).length > 0) ||
      (act === 'create' && type.newKeys === 'highest') ||
      part.along.some((a) => a.type.newKeys === 'highest'),
    along: [
      ...part.along.map((a): Along => ({
        id: a.id,
        act: 'create',
        type: a.type.id,
        by: a.by.name,
        writes: a.changes.map((c) => c.field.name),
        under: null,
      })),
      ...(part.falls ?? []).map((f): Along => ({
        id: f.type.id,
        act: f.act,
        type: f.type.id,
        by: f.field.name,
        writes: f.act === 'blank' ? [f.field.name] : wholeRecord(f.type).map((field) => field.name),
        under: f.under,
      })),
      ...(part.references?.changes ?? []).map(alongReference),
    ],
  };
}

/** References that change with the value that they refer to, as an entry of an order. */
export function alongReference({ type, field, act, referenced }: ReferenceChange): Along {
  return { id: type.id, act, type: type.id, by: field.name, writes: [field.name], under: null, referenced };
}

/** Every value that a part reads or will write for a record: each as a tree, each once. */
export function readsOf(part: CheckedPart): readonly Checked[] {
  const { act, type, selection } = part;
  const source = selection.type;
  const found = new Map<string, Checked>();
  const add = (tree: Checked): void => void found.set(JSON.stringify(freezeTree(tree)), tree);
  const addPath = (path: FieldPath): void => {
    path.through.forEach((step, i) =>
      add({ kind: 'field', at: { through: path.through.slice(0, i), type: step.from, field: step.field } }),
    );
    // What is new of a field comes from what its own edit reads; what a file says does not change.
    const { isOld: _, ...at } = path;
    if (!path.isNew && !path.filed) add({ kind: 'field', at });
  };
  const addField = (name: string): void => {
    const field = source.fields.find((f) => f.name === name);
    if (field) add({ kind: 'field', at: { through: [], type: source, field } });
  };
  const addTree = (tree: Checked): void =>
    walkOwn(tree, (node) => {
      if (node.kind === 'field') addPath(node.at);
      if (node.kind === 'children') add(node);
      if (node.kind !== 'selected') return;
      if (node.key) addPath(node.key);
      // What the saved selection asks of the record itself is read too.
      else if (node.selection.condition) addTree(node.selection.condition);
    });
  if (act === 'delete') source.fields.forEach((f) => addField(f.name));
  if (act === 'create') source.key.forEach(addField);
  if (selection.condition) addTree(selection.condition);
  for (const change of [...part.changes, ...part.along.flatMap((a) => a.changes)]) treesOf(change).forEach(addTree);
  if (act === 'update') {
    const writes = part.changes.map((c) => c.field.name);
    writes.forEach(addField);
    for (const rule of rulesTouched(type, writes)) rule.fields.forEach(addField);
    for (const rule of ownRulesTouched(part)) addTree(rule.reads);
  }
  return [...found.values()];
}

/** What a part makes of its fields, where a batch of it can be proved as a whole (see `OrderPart.makes`); else null. */
export function makesOf(part: CheckedPart): readonly Becoming<Checked>[] | null {
  if (part.act !== 'update' || part.along.length > 0 || !readsOf(part).every(isLight)) return null;
  const makes = part.changes.flatMap(({ value, when }) =>
    value.from === 'expression' && !value.worked && isLight(value.tree) && (!when || isLight(when))
      ? [{ tree: value.tree, when }]
      : [],
  );
  return makes.length === part.changes.length ? makes : null;
}

/**
 * Does a tree read only what the record itself has, and is it worked out in no time? It is worked out while a batch is written,
 * when others may be waiting for its records.
 */
function isLight(tree: Checked): boolean {
  let nodes = 0;
  let light = true;
  walkOwn(tree, (node) => {
    nodes++;
    light &&= lightKinds.has(node.kind);
    if (node.kind === 'field') light &&= node.at.through.length === 0 && !node.at.isNew && !node.at.filed;
  });
  return light && nodes <= mostNodes;
}
const lightKinds: ReadonlySet<Checked['kind']> = new Set([
  'field',
  'value',
  'null',
  'blank',
  'not',
  'and',
  'or',
  'compare',
  'in',
  'between',
  'isNull',
]);
const mostNodes = 30;

export function thawMakes(part: OrderPart, catalog: Catalog): readonly Becoming<Checked>[] | null {
  return (
    part.makes?.map(({ tree, when }) => ({ tree: thawTree(tree, catalog), when: when && thawTree(when, catalog) })) ??
    null
  );
}

export function thawReads(part: OrderPart, catalog: Catalog): readonly Checked[] {
  return part.reads.map((tree) => thawTree(tree, catalog));
}

/** The triggers that will fire at an act on these fields. */
export function firing(
  { triggers }: Pick<RecordType, 'triggers'>,
  act: Act,
  writes: readonly string[],
): readonly Trigger[] {
  const event = act === 'create' ? 'insert' : act;
  return triggers.filter(
    (t) =>
      t.at.includes(event) && (act !== 'update' || t.onFields === null || t.onFields.some((f) => writes.includes(f))),
  );
}

/**
 * Can a batch be one statement? What is frozen is what is stored, nothing of the database's own happens meanwhile, and nothing is
 * made or removed along.
 */
export function isSwift(
  part: Pick<OrderPart, 'act' | 'writes' | 'declared' | 'along'>,
  type: Pick<RecordType, 'triggers' | 'fields'>,
): boolean {
  const { act, writes, declared, along } = part;
  const isAsFrozen = (name: string, i: number): boolean =>
    type.fields.find((f) => f.name === name)?.declared === declared?.[i];
  return (
    act === 'update' &&
    along.length === 0 &&
    firing(type, 'update', writes).length === 0 &&
    (declared === undefined || writes.every(isAsFrozen))
  );
}

/**
 * Records in a batch where nobody says how many. Measured: of a run in one statement a batch, batches of 5,000 take an
 * eighth less than of 1,000, and hold their records for some 100 ms; where triggers work too, that would be seconds.
 */
export function usualBatch(swift: boolean): number {
  return swift ? 5000 : 1000;
}

/** The rules that the database will check again when these fields are written. */
export function rulesTouched(type: RecordType, writes: readonly string[]) {
  return type.rules.filter((rule) => !rule.holdsForAll || rule.fields.some((f) => writes.includes(f)));
}

/** The workspace's own rules that a part's changes are about. */
export function ownRulesTouched({ rules = [], changes }: Pick<CheckedPart, 'rules' | 'changes'>): readonly OwnRule[] {
  return rules.filter((rule) => changes.some((c) => rule.fields.includes(c.field.name)));
}

/** Do records read what the part writes on others of the same type? */
function readsItsOwn(type: RecordType, reads: readonly Checked[], writes: readonly string[]): boolean {
  return hasKey(type) && reads.some((tree) => othersRead(tree, type, writes).length > 0);
}

/** A way from a record to others of the type whose written fields it reads. */
export type OtherRead =
  | { readonly by: 'path'; readonly path: FieldPath }
  | { readonly by: 'children'; readonly tree: Extract<Checked, { kind: 'children' }>; readonly path: FieldPath | null };

/**
 * Where a tree reads fields in `writes` of other records of `type`: the path up to such a record (its last field is the
 * one read), or its children, or what these reach.
 */
export function othersRead(tree: Checked, type: RecordType, writes: readonly string[]): readonly OtherRead[] {
  if (tree.kind === 'field') return pathsTo(tree.at, type, writes).map((path) => ({ by: 'path', path }));
  if (tree.kind !== 'children') return [];
  const found: OtherRead[] = [];
  const inside: Checked[] = [tree.value, tree.condition].filter((t) => t !== null);
  const own = new Set([tree.relation.field.name]);
  for (const part of inside)
    walkOwn(part, (node) => {
      if (node.kind !== 'field') return;
      own.add(node.at.through[0]?.field.name ?? node.at.field.name);
      for (const path of pathsTo(node.at, type, writes)) found.push({ by: 'children', tree, path });
    });
  if (tree.relation.child.id === type.id && [...own].some((f) => writes.includes(f)))
    found.push({ by: 'children', tree, path: null });
  return found;
}

/** The beginnings of a path, each one step or more long, that end in a written field of the type. */
function pathsTo(path: FieldPath, type: RecordType, writes: readonly string[]): FieldPath[] {
  return path.through.flatMap((step, i) => {
    const next = path.through[i + 1]?.field ?? path.field;
    const through = path.through.slice(0, i + 1);
    return step.type.id === type.id && writes.includes(next.name) ? [{ through, type: step.type, field: next }] : [];
  });
}

/**
 * Throws `not_changeable` where the parts cannot be carried out one after another: a record without a key of its own, a
 * required field that nothing fills, or a part that reads what an earlier one makes, whose keys nobody knows yet.
 */
export function checkParts(parts: readonly CheckedPart[]): void {
  const made = new Set<string>();
  // Each link that a job makes is of another entry: none of them is read by the others.
  const links = new Set<string>();
  for (const part of parts) {
    const reads = readsOf(part);
    const isMade = (type: RecordType): boolean => made.has(type.id) || (!part.entry && links.has(type.id));
    const child = reads.find((t) => t.kind === 'children' && isMade(t.relation.child));
    if (child || isMade(part.selection.type))
      fail(
        'not_changeable',
        `An earlier part makes records that ${part.type.label.toLowerCase()} of this one would read: put it after.`,
      );
    if (part.act === 'create') {
      mustBeMakable(
        part.type,
        part.changes.map((c) => c.field.name),
      );
      (part.entry ? links : made).add(part.type.id);
    }
    for (const { type, by, changes } of part.along) {
      mustBeMakable(type, [by.name, ...changes.map((c) => c.field.name)]);
      made.add(type.id);
    }
  }
}

function mustBeMakable(type: RecordType, given: readonly string[]): void {
  if (type.notChangeable !== null) fail('not_changeable', type.notChangeable);
  const field = unfilled(type, given);
  if (field)
    fail('not_changeable', `${field.label} of new ${type.label.toLowerCase()} is required, and nothing fills it.`);
}

/** Id of the type that a part's frozen keys are of; `rowsId` where they are of rows. */
export function keyedBy({ of, ofRows, type }: Pick<OrderPart, 'of' | 'ofRows' | 'type'>): string {
  return ofRows ? rowsId : (of ?? type);
}

/** The type of a part's frozen keys; null where they are none's. */
export function sourceOf(part: OrderPart, catalog: Catalog): RecordType | null {
  return part.of === null ? null : typeNow(catalog, part.of);
}
