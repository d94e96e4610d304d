import { selectionsFileKind, type ImportBody, type SavedSelectionView } from '@tantamos/contract';
import { fail, parse, ProblemError, toJsonValue, within, type Selection } from '@tantamos/core';
import type { Seen } from '../rights/seen';
import type { SavedSelections, Saving } from './saved';
import { namesOfSaved } from './context';
import { plainSelection } from './plain';

/** Saved selections as a file: filters in the JSON form of CQL2, so that other programs can read them. */
export function fileOf(all: readonly SavedSelectionView[]): string {
  return toJsonValue.stringify({
    tantamos: selectionsFileKind,
    exportedAt: new Date().toISOString(),
    selections: all.map(({ name, note, open, selection }) => ({ name, note, open, selection: asJson(selection) })),
  });
}

/** Takes all of a file, or nothing. */
export async function takeFile(saved: SavedSelections, seen: Seen, body: ImportBody): Promise<SavedSelectionView[]> {
  const { file, taken = 'refuse' } = body;
  const known = new Set((await saved.list(seen)).map((s) => s.name.toLowerCase()));
  const read = file.selections.map(({ name, note = null, open = false, selection }, i) =>
    within(`file.selections[${i}]`, (): Saving => ({
      name: name.trim(),
      note,
      open,
      said: plainSelection(selection.type, selection),
      version: null,
      anyway: true,
    })),
  );
  const names = read.map((e) => e.name.toLowerCase());
  const twice = read.find((e, i) => names.indexOf(e.name.toLowerCase()) !== i);
  if (twice) fail('name_taken', `The file has “${twice.name}” twice.`, { where: 'file' });
  const clash = read.filter((e) => known.has(e.name.toLowerCase()));
  if (taken === 'refuse' && clash.length > 0)
    fail('name_taken', `These names are taken: ${clash.map((e) => e.name).join(', ')}. Skip them, or replace them.`, {
      where: 'taken',
    });
  return saved.saveAll(seen, inOrder(taken === 'skip' ? read.filter((e) => !clash.includes(e)) : read));
}

/** What others rest on comes before them. */
function inOrder(entries: readonly Saving[]): Saving[] {
  const byName = new Map(entries.map((e) => [e.name.toLowerCase(), e]));
  const done = new Set<Saving>();
  const open = new Set<Saving>();
  const visit = (e: Saving): void => {
    if (done.has(e) || open.has(e)) return;
    open.add(e);
    for (const name of namesOfSaved(e.said)) {
      const other = byName.get(name.toLowerCase());
      if (other) visit(other);
    }
    done.add(e);
  };
  entries.forEach(visit);
  return [...done];
}

function asJson(selection: Selection): object {
  const { filter, related, ...rest } = selection;
  return {
    ...rest,
    ...(related ? { related: { ...related, of: asJson(related.of) } } : {}),
    ...filterAsJson(filter),
  };
}

/** A filter that can be read no longer goes into the file as it is. */
function filterAsJson(filter: string | undefined): object {
  if (!filter?.trim()) return {};
  try {
    return { 'filter-lang': 'cql2-json', filter: toJsonValue(parse(filter)) };
  } catch (error) {
    if (error instanceof ProblemError) return { filter };
    throw error;
  }
}
