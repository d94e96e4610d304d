import type { Catalog, RecordType } from '../catalog/catalog';
import { keyFields } from '../catalog/key';
import { inTurn, treesOf, withTrees, type Change } from '../edits/change';
import { isRows } from '../file/file-type';
import { editSentence, lowerEdit, type Edit } from '../edits/edit';
import type { About } from '../edits/kind';
import type { Answers } from '../language/bind';
import { bind, bindSelection, namesIn, questionsOf } from '../language/bind';
import { rebuild, type Checked, type NameQuestion } from '../language/checked';
import type { Context } from '../language/context';
import type { OwnRule } from '../language/own-rule';
import { list } from '../language/words';
import { fail, Gathered, inside, ProblemError, within } from '../problem';
import type { CheckedSelection, CheckedTake } from '../language/checked';
import { checkSelection, orderBy } from '../selection/selection';
import type { Selection } from '../selection/shape';
import { whichWords } from '../selection/words';
import { alsoWords, checkAlso, unfilled, type Also, type CheckedAlso } from './also';
import { fallsOf, type Fall } from './falls';
import { noReferences, referencesTo } from './references';
import { checkMaking, makingWords, type MadeFrom } from './making';
import type { Safety } from './safety';
import { nothingLookedUp, sentenceOf, type LookedUp, type Names, type Sentence } from './named-records';
import { checkLink, linkMeant, type CheckedLink, type Link } from './links';

/** What is done to the records of one selection. */
export interface JobPart {
  readonly selection: Selection;
  readonly edits: readonly Edit[];
  /**
   * Left out: they are changed as the edits say. `copy`: each is made once more, but for what the edits say. `create`: records
   * of the type are made `from` what is said there, and get what the edits say.
   */
  readonly act?: 'delete' | 'copy' | 'create';
  /** With `create`; left out: one record, of nothing but what the edits say. */
  readonly from?: MadeFrom;
  /** What is made for each of them, along with the edits or without any. */
  readonly also?: readonly Also[];
  /** Values that are right already are written all the same, so that triggers fire. */
  readonly writeAgain?: boolean;
}

/** A part whose records may be relatives of those of an earlier one. */
export interface LaterPart extends JobPart {
  readonly follows?: Follows;
}

/** Relatives of the records of an earlier part: those whose `field` points at them, or those that `field` of them points at. */
export interface Follows {
  /** Which part, from 1; left out: the one before. */
  readonly part?: number;
  /** Left out: those pointing at them. */
  readonly how?: 'pointing_at' | 'pointed_at';
  readonly field: string;
}

/** Selection + edits + safety + why. */
export interface Job extends JobPart {
  /** Further parts, each done when all records of those before it are. */
  readonly then?: readonly LaterPart[];
  readonly safety?: Partial<Safety>;
  readonly why?: string;
  /** The preview that this one follows, so that the two can be compared. */
  readonly after?: string;
}

/** A part whose every name has been found in the catalog. */
export interface CheckedJobPart {
  /** Whose records these are: of a create the type of those that are made. */
  readonly type: RecordType;
  /** Of a create the rows that records are made of. */
  readonly selection: CheckedSelection;
  readonly act: 'update' | 'delete' | 'copy' | 'create';
  /** Of a copy: what each of the new records gets. */
  readonly changes: readonly Change[];
  readonly writeAgain: boolean;
  /** The workspace's own, of its type. */
  readonly rules: readonly OwnRule[];
  readonly also: readonly CheckedAlso[];
  /** What goes into and out of lists that stand in tables of links. */
  readonly links: readonly CheckedLink[];
  /** Of a delete: what goes or is blanked with each record. */
  readonly falls: readonly Fall[];
  /** What a change of values that others refer to does to these, and what keeps it from being done. */
  readonly references: ReturnType<typeof referencesTo>;
  /** In which they are dealt with; left out: that of their keys. */
  readonly order?: CheckedTake['order'];
}

/** A job whose every name has been found in the catalog: its first part, and the others. */
export interface CheckedJob extends CheckedJobPart {
  readonly then: readonly CheckedJobPart[];
  readonly questions: readonly NameQuestion[];
  /** Of those looked up. */
  readonly names: LookedUp;
}

/** A job has so many parts at most. */
const mostParts = 20;

/** The parts of a job, each with its records said in full: relatives of an earlier part’s are relatives of its selection. */
export function partsSaid(job: Job): readonly JobPart[] {
  const parts: JobPart[] = [job];
  for (const [i, { follows, ...part }] of (job.then ?? []).entries()) {
    if (!follows) {
      parts.push(part);
      continue;
    }
    const at = follows.part ?? i + 1;
    const of = Number.isSafeInteger(at) && at >= 1 && at <= i + 1 ? parts[at - 1] : undefined;
    if (!of)
      fail(
        'circle',
        `Part ${i + 2} rests on part ${at}: a part can rest only on one before it, of which there ${i === 0 ? 'is one' : `are ${i + 1}`}.`,
        { where: `then[${i}].follows.part` },
      );
    if (part.selection.related)
      fail('bad_value', 'Relatives of an earlier part and of another selection: say one of them.', {
        where: `then[${i}].follows`,
      });
    const { how = 'pointing_at', field } = follows;
    parts.push({ ...part, selection: { ...part.selection, related: { of: of.selection, how, field } } });
  }
  return parts;
}

/** The selections of all parts. */
export function selectionsOf({ selection, then = [] }: Job): readonly Selection[] {
  return [selection, ...then.map((part) => part.selection)];
}

/** Does it say what to do with its records? */
export function saysWhat({
  act,
  edits,
  also = [],
}: Pick<JobPart, 'act' | 'edits'> & { readonly also?: readonly unknown[] }): boolean {
  return act !== undefined || edits.length > 0 || also.length > 0;
}

/** Checks all parts and reports every problem there is, not only the first. */
export function checkJob(job: Job, catalog: Catalog, context: Context): CheckedJob {
  const problems = new Gathered();
  if ((job.then ?? []).length >= mostParts)
    fail('over_limit', `A job has ${mostParts} parts at most.`, { where: 'then' });
  const [first, ...then] = partsSaid(job).flatMap((part, i) => {
    const place = i === 0 ? '' : `then[${i - 1}]`;
    const check = (): CheckedJobPart =>
      checkPart(part, place, catalog, { ...context, ...(i > 0 ? { ofLaterPart: true } : {}) });
    if (i === 0) return problems.gather(check) ?? [];
    const isFollowing = job.then![i - 1]!.follows !== undefined;
    return problems.gather(() => inside(place, isFollowing ? () => asFollowing(check, problems) : check)) ?? [];
  });
  const order = first && problems.gather(() => within('safety.order', () => orderSaid(job, first, catalog)));
  problems.raise();
  const all = [first!, ...then];
  return {
    ...first!,
    ...(order ? { order } : {}),
    then,
    questions: all.flatMap((p) => [
      ...[p, ...p.links].flatMap((l) => questionsOf(l.selection)),
      ...treesIn(p).flatMap(namesIn),
    ]),
    names: nothingLookedUp,
  };
}

function orderSaid(
  { safety }: Job,
  { selection: { type } }: CheckedJobPart,
  catalog: Catalog,
): CheckedTake['order'] | null {
  if (!safety?.order?.length) return null;
  if (isRows(type)) fail('bad_value', 'What is made of rows is made in their order.');
  return orderBy(safety.order, type, catalog);
}

/** Of records that follow an earlier part’s, what is wrong with how they do is told there, and with those they follow only once. */
function asFollowing(check: () => CheckedJobPart, { problems: before }: Gathered): CheckedJobPart | [] {
  try {
    return check();
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const [first, ...rest] = error.problems
      .filter((p) => before.length === 0 || !p.where?.startsWith('related.of'))
      .map((p) => ({ ...p, where: p.where?.replace(/^related/, 'follows') }));
    if (first) throw new ProblemError(first, ...rest);
    return [];
  }
}

function checkPart(part: JobPart, place: string, catalog: Catalog, context: Context): CheckedJobPart {
  const problems = new Gathered();
  const type = within('selection.type', () => catalog.type(part.selection.type));
  if (part.act === 'create') return makingPart(part, place, type, catalog, context);
  const also = part.also ?? [];
  const changes = part.act !== 'delete' && (part.edits.length > 0 || part.act === 'copy');
  problems.gather(() => {
    keyFields(type);
    if (type.notChangeable !== null && (changes || part.act !== undefined)) fail('not_changeable', type.notChangeable);
  });
  const selection = problems.gather(() => checkSelection(part.selection, catalog, context));
  problems.gather(() => mustDoOneThing(part));
  const about = { type, catalog, context: { ...context, ofEdit: true } };
  const written = new Set<string>();
  const links: CheckedLink[] = [];
  const linksAt = (i: number, edit: Edit, link: Link, of: CheckedSelection): CheckedLink[] =>
    inside(`edits[${i}]`, () =>
      checkLink(edit, link, of, about, (tree) => namedTree([place, `edits[${i}]`], tree)).map((l) => ({
        ...l,
        edit: i,
      })),
    );
  const ofEdits = part.edits.flatMap(
    (edit, i) =>
      problems.gather(() => {
        const link = part.act === undefined ? linkMeant(edit, catalog, type) : null;
        if (link) {
          if (selection) links.push(...linksAt(i, edit, link, selection));
          return [];
        }
        const lowered = lowerAt(edit, [place, `edits[${i}]`], part.act === 'copy' ? { ...about, into: type } : about);
        for (const { field } of lowered) {
          if (written.has(field.name))
            fail('same_field_twice', `${field.name} is changed twice.`, { where: `edits[${i}].field` });
          written.add(field.name);
        }
        return lowered;
      }) ?? [],
  );
  const made = (selection ? also : []).flatMap(
    (one, i) =>
      problems.gather(() =>
        inside(`also[${i}]`, () => namedAt([place, `also[${i}]`], checkAlso(one, selection!, about))),
      ) ?? [],
  );
  if (problems.problems.length === 0)
    for (const [i, { per }] of made.entries())
      if (per && written.has(per.name))
        problems.gather(() =>
          fail(
            'bad_value',
            `${per.label} is changed by the same part: which of them is meant by one for each? Make these in a part of their own.`,
            {
              where: `also[${i}].per`,
            },
          ),
        );
  const copied = part.act === 'copy' ? problems.gather(() => copyOf(type, ofEdits)) : undefined;
  problems.raise();
  inTurn(ofEdits);
  return {
    type,
    selection: selection!,
    act: part.act ?? 'update',
    changes: copied ?? ofEdits,
    writeAgain: part.writeAgain ?? false,
    rules: context.rulesOf(type.id),
    also: made,
    links,
    falls: part.act === 'delete' ? fallsOf(type, catalog) : [],
    references: part.act === undefined ? referencesTo(type, catalog, writtenBy(ofEdits)) : noReferences,
  };
}

const writtenBy = (changes: readonly Change[]): readonly string[] => changes.map((c) => c.field.name);

function makingPart(
  part: JobPart,
  place: string,
  type: RecordType,
  catalog: Catalog,
  context: Context,
): CheckedJobPart {
  if (type.notChangeable !== null) fail('not_changeable', type.notChangeable);
  const { selection, changes } = checkMaking(part, type, catalog, context);
  return {
    type,
    selection,
    act: 'create',
    changes: changes.map((c) => named([place, 'edits'], c)),
    writeAgain: false,
    rules: context.rulesOf(type.id),
    also: [],
    links: [],
    falls: [],
    references: noReferences,
  };
}

function mustDoOneThing(part: JobPart): void {
  const { act, edits, also = [] } = part;
  if (act === 'delete' && edits.length > 0)
    fail('bad_value', 'The records are deleted, so nothing of them can be changed.', { where: 'edits' });
  if (act === 'delete' && also.length > 0)
    fail('bad_value', 'The records are deleted, so nothing can be made for them.', { where: 'also' });
  if (!saysWhat(part)) fail('no_edits', 'The job says which records, but not what to change.');
}

/** Every field of a record that can be given to another one, with what the edits say in its place. */
function copyOf(type: RecordType, edits: readonly Change[]): readonly Change[] {
  const said = new Map(edits.map((c) => [c.field.name, c]));
  const copies = type.fields.flatMap((field): Change[] => {
    const edit = said.get(field.name);
    if (edit) return [edit];
    if (
      field.generated ||
      field.hidden ||
      (field.notEditable !== null && !type.key.includes(field.name)) ||
      (type.key.includes(field.name) && field.default !== null)
    )
      return [];
    if (type.key.includes(field.name) || field.unique) {
      if (field.default !== null || !(field.required || type.key.includes(field.name))) return [];
      fail('bad_value', `${field.label} may be there once: say what that of the copies is to be.`, {
        where: 'edits',
        suggestions: [field.name],
      });
    }
    const at = { through: [], type, field };
    return [{ field, value: { from: 'expression', tree: { kind: 'field', at } }, when: null }];
  });
  const missing = unfilled(
    type,
    copies.map((c) => c.field.name),
  );
  if (missing)
    fail(
      'bad_value',
      `${missing.hidden ? 'A field that you may not see' : missing.label} is required, and nothing fills it in the copies.`,
    );
  return copies;
}

/** Every tree of a part but those of its selection. */
function treesIn({ changes, also, links }: CheckedJobPart): readonly Checked[] {
  return [...changes, ...[...also, ...links].flatMap((a) => a.changes)].flatMap(treesOf);
}

/** The job with every name replaced by a key; throws `unknown_name` and `ambiguous_name`, all of them. */
export function bindJob(job: CheckedJob, answers: Answers, catalog: Catalog): CheckedJob {
  const problems = new Gathered();
  const asked = new Set<string>();
  for (const question of job.questions) {
    const one = JSON.stringify([question.typeId, question.text, question.where]);
    if (!asked.has(one)) problems.gather(() => answers.key(question, catalog));
    asked.add(one);
  }
  problems.raise(100);
  return {
    ...bindPart(job, answers, catalog),
    then: job.then.map((part) => bindPart(part, answers, catalog)),
    questions: [],
    names: { questions: job.questions, find: (typeId, text) => answers.record(typeId, text) },
  };
}

function bindPart(part: CheckedJobPart, answers: Answers, catalog: Catalog): CheckedJobPart {
  const bound = (change: Change): Change => withTrees(change, (tree) => bind(tree, answers, catalog));
  const changes = part.changes.map(bound);
  changes.forEach(mustMapOnce);
  return {
    type: part.type,
    selection: bindSelection(part.selection, answers, catalog),
    act: part.act,
    changes,
    writeAgain: part.writeAgain,
    rules: part.rules,
    also: part.also.map((a) => ({ ...a, changes: a.changes.map(bound) })),
    links: eachOnce(
      part.links.map((l) => ({
        ...l,
        selection: bindSelection(l.selection, answers, catalog),
        changes: l.changes.map(bound),
        entries: l.entries.map((tree) => bind(tree, answers, catalog)),
      })),
    ),
    falls: part.falls,
    references: part.references,
    ...(part.order ? { order: part.order } : {}),
  };
}

/** Two names may mean one record: then there would be two values for it. */
function mustMapOnce({ field, value }: Change): void {
  if (value.from === 'place' && value.place.level) {
    const keys = value.place.level.values.flatMap((v) => (v.kind === 'value' ? [v.text] : []));
    const twice = keys.find((key, i) => keys.indexOf(key) !== i);
    if (twice !== undefined)
      fail('bad_value', `${field.label}: two of those named are the same record, the one with the key ${twice}.`, {
        where: 'edits',
      });
  }
  if (value.from !== 'given' || 'kept' in value.given) return;
  const seen = new Set<string>();
  for (const { key } of value.given.entries) {
    if (key.kind !== 'value') continue;
    if (seen.has(key.text))
      fail(
        'bad_value',
        `${field.label}: two lines of the map are about the same record, the one with the key ${key.text}.`,
        {
          where: 'edits',
        },
      );
    seen.add(key.text);
  }
}

/** Two names may mean one record, which is an entry once. */
function eachOnce(links: readonly CheckedLink[]): readonly CheckedLink[] {
  const seen = new Set<string>();
  for (const { link, entries, edit } of links)
    for (const entry of entries) {
      if (entry.kind !== 'value') continue;
      const one = JSON.stringify([link.type.id, entry.text]);
      if (seen.has(one))
        fail('bad_value', `${link.type.label}: the record with the key ${entry.text} is among the entries twice.`, {
          where: `edits[${edit}].entries`,
        });
      seen.add(one);
    }
  return links;
}

/** The job in one plain sentence; how many each part matches, and the names behind keys, stand in it where they are known. */
export function jobSentence(
  job: Job,
  catalog: Catalog,
  context: Context,
  matched: readonly (number | undefined)[] = [],
  names: LookedUp = nothingLookedUp,
): Sentence {
  return sentenceOf(names, (named) => {
    const parts = partsSaid(job).map((part, i) => partSentence(part, i, catalog, context, matched[i], named));
    const all = parts.join('; then ');
    return `${all[0]!.toUpperCase()}${all.slice(1)}.`;
  });
}

function partSentence(
  part: JobPart,
  at: number,
  catalog: Catalog,
  context: Context,
  matched: number | undefined,
  names: Names,
): string {
  const named = { catalog, nameOf: names.of, inTree: names.inTree, inText: names.inText };
  if (part.act === 'create') return makingWords(part, { ...named, type: catalog.type(part.selection.type), context });
  // Before names are bound to keys, so that it says what the person said.
  const later = at > 0 ? { ofLaterPart: true } : {};
  const checked = names.inSelection(checkSelection(part.selection, catalog, { ...context, ...later }));
  const told = { ...named, type: checked.type };
  const edits = part.edits.map((e) => editSentence(e, part.act === 'copy' ? { ...told, into: checked.type } : told));
  const made = (part.also ?? []).map((a) => alsoWords(a, told));
  const what =
    part.act === 'delete'
      ? 'delete them'
      : part.act === 'copy'
        ? list(
            [edits.length > 0 ? `make a copy of each, but ${list(edits, 'and')}` : 'make a copy of each', ...made],
            'and',
          )
        : list([...edits, ...made], 'and');
  const again = part.writeAgain ? '; what is right already is written again' : '';
  return `on ${whichWords(checked, matched)}: ${what || 'nothing to change yet'}${again}`;
}

/** Lowers an edit that stands at these places, such as `edits[0]`: its problems say the last, its questions all of them. */
export function lowerAt(edit: Edit, places: readonly string[], about: About): readonly Change[] {
  return inside(places.at(-1)!, () => lowerEdit(edit, about).map((c) => named(places, c)));
}

function namedAt(places: readonly string[], also: CheckedAlso): CheckedAlso {
  return { ...also, changes: also.changes.map((c) => named(places, c)) };
}

/** The change, whose questions about names say where they were asked. */
function named(places: readonly string[], change: Change): Change {
  return withTrees(change, (tree) => namedTree(places, tree));
}

function namedTree(places: readonly string[], tree: Checked): Checked {
  const place = places.filter((p) => p !== '').join('.');
  return rebuild(tree, (node) =>
    node.kind === 'named'
      ? { ...node, question: { ...node.question, where: `${place}.${node.question.where ?? 'value'}` } }
      : node,
  );
}
