import type { ImportBody, SavedSelectionBody, SavedSelectionView } from '@tantamos/contract';
import {
  countRecords,
  fail,
  parse,
  ProblemError,
  textOfJson,
  toJsonValue,
  within,
  type Selection,
} from '@tantamos/core';
import type { Services } from '../../services';
import type { Handler } from '../handler';
import { sent } from '../handler';
import { asProblem } from '../../database/problems';
import { gone, longestSearch } from '../patience';
import { seenSelection } from '../seen-type';
import { placed, plainSelection } from '../selection';

export const selections: Handler = async ({ services, person }) => {
  const catalog = await services.catalogs.get();
  const all = await services.saved.list(person);
  return Promise.all(
    all
      .filter((s) => person.role === 'administrator' || catalog.find(s.type)?.hidden === false)
      .map((s) => labelled(services, s)),
  );
};

export const savedSelection: Handler = async ({ services, person, params }) =>
  labelled(services, await services.saved.get(person, params.name!));

export const selectionVersions: Handler = ({ services, person, params }) =>
  services.saved.versions(person, params.name!);

export const saveSelection: Handler<SavedSelectionBody> = async ({ services, person, body }) => {
  const said = plainSelection(body.selection.type, body.selection);
  await seenSelection(services, person, said);
  const { name, note = null, open = false, version = null, anyway = false } = body;
  const saved = await placed(body.selection, said, () =>
    services.saved.save(person, { name, said, note, open, version, anyway }),
  );
  return labelled(services, saved);
};

export const countSelection: Handler = async ({ services, person, params, res }) => {
  const saved = await services.saved.get(person, params.name!);
  await seenSelection(services, person, saved.selection);
  const { selection } = await services.compiler.selection(person, saved.selection);
  const [counted] = await services.database
    .askWithin<{ count: number }>(countRecords(selection), longestSearch, gone(res))
    .catch(asProblem);
  await services.saved.counted(saved.id, counted?.count ?? 0);
  return labelled(services, await services.saved.get(person, saved.name));
};

export const dropSelection: Handler = async ({ services, person, params }) => services.saved.drop(person, params.name!);

const fileKind = 'saved-selections';

/** Filters in the JSON form of CQL2, so that other programs can read them. */
export const exportSelections: Handler = async ({ services, person, res }) => {
  const all = await services.saved.list(person);
  const file = {
    tantamos: fileKind,
    exportedAt: new Date().toISOString(),
    selections: all.map(({ name, note, open, selection }) => ({ name, note, open, selection: asJson(selection) })),
  };
  res.setHeader('Content-Disposition', 'attachment; filename="selections.json"');
  res.type('application/json').send(toJsonValue.stringify(file));
  return sent;
};

export const importSelections: Handler<ImportBody> = async ({ services, person, body }) => {
  const { file, taken = 'refuse' } = body;
  const entries = (file as { selections?: unknown }).selections;
  if ((file as { tantamos?: unknown }).tantamos !== fileKind || !Array.isArray(entries))
    return fail('bad_request', `This is no file of saved selections: "tantamos": "${fileKind}" is missing.`, {
      where: 'file',
    });
  const known = new Set((await services.saved.list(person)).map((s) => s.name.toLowerCase()));
  const read = entries.map((e: unknown, i) => within(`selections[${i}]`, () => entryOf(e)));
  const clash = read.filter((e) => known.has(e.name.toLowerCase()));
  if (taken === 'refuse' && clash.length > 0)
    fail('name_taken', `These names are taken: ${clash.map((e) => e.name).join(', ')}. Skip them, or replace them.`, {
      where: 'taken',
    });
  const wanted = inOrder(taken === 'skip' ? read.filter((e) => !clash.includes(e)) : read);
  // All or none: what cannot be checked is told before anything is saved.
  const saved: SavedSelectionView[] = [];
  for (const { name, note, open, selection } of wanted) {
    await seenSelection(services, person, selection);
    try {
      saved.push(await services.saved.save(person, { name, said: selection, note, open, version: null, anyway: true }));
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      for (const done of saved.filter((s) => s.version === 1).reverse()) await services.saved.drop(person, done.name);
      fail(error.code, `“${name}” could not be taken, so nothing new was: ${error.message}`, { where: name });
    }
  }
  return Promise.all(saved.map((s) => labelled(services, s)));
};

interface Entry {
  readonly name: string;
  readonly note: string | null;
  readonly open: boolean;
  readonly selection: Selection;
}

function entryOf(given: unknown): Entry {
  const { name, note, open, selection } = (given ?? {}) as Partial<Record<keyof Entry, unknown>>;
  if (typeof name !== 'string' || typeof selection !== 'object' || selection === null)
    return fail('bad_request', 'An entry needs a name and a selection.');
  return { name, note: typeof note === 'string' ? note : null, open: open === true, selection: fromJson(selection) };
}

/** What others rest on comes before them. */
function inOrder(entries: readonly Entry[]): Entry[] {
  const names = entries.map((e) => e.name.toLowerCase());
  const done: Entry[] = [];
  const visit = (e: Entry, depth: number): void => {
    if (done.includes(e) || depth > entries.length) return;
    const text = JSON.stringify(e.selection).toLowerCase();
    entries.forEach((other, i) => {
      if (other !== e && text.includes(`in_selection('${names[i]}'`)) visit(other, depth + 1);
    });
    if (!done.includes(e)) done.push(e);
  };
  entries.forEach((e) => visit(e, 0));
  return done;
}

function asJson(selection: Selection): object {
  const { filter, related, ...rest } = selection;
  return {
    ...rest,
    ...(related ? { related: { ...related, of: asJson(related.of) } } : {}),
    ...(filter?.trim() ? { 'filter-lang': 'cql2-json', filter: toJsonValue(parse(filter)) } : {}),
  };
}

function fromJson(given: object): Selection {
  const { filter, related, type, list, take, keys, drop } = given as Record<string, unknown>;
  if (typeof type !== 'string') return fail('bad_request', 'A selection needs a type.');
  return {
    type,
    ...(related ? { related: { ...(related as object), of: fromJson((related as { of: object }).of) } } : {}),
    ...(filter === undefined ? {} : { filter: typeof filter === 'string' ? filter : textOfJson(filter) }),
    ...(list ? { list } : {}),
    ...(take ? { take } : {}),
    ...(keys ? { keys } : {}),
    ...(drop ? { drop } : {}),
  } as Selection;
}

async function labelled({ catalogs }: Services, saved: SavedSelectionView): Promise<SavedSelectionView> {
  return { ...saved, typeLabel: (await catalogs.get()).find(saved.type)?.label ?? saved.type };
}
