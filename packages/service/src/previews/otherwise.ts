import {
  countsAmong,
  leavingOut,
  otherwisesOf,
  type CheckedJobPart,
  type Edit,
  type JobPart,
  type Otherwise,
} from '@tantamos/core';
import type { Database } from '../database/database';
import type { Note } from './preview-row';

/** What is said besides the set itself is not worth waiting for, in ms. */
const longestLook = 2000;

/** Records that come to what is meant for all others because what is asked of them is blank, counted apart. */
export async function otherwiseNotes(
  database: Database,
  job: JobPart,
  { selection, changes }: CheckedJobPart,
): Promise<Note[]> {
  const found = changes.flatMap(({ field, ...change }) =>
    otherwisesOf({ field, ...change }).map((o) => ({ ...o, field })),
  );
  if (found.length === 0) return [];
  const counts = await database
    .askWithin<Record<string, string>>(
      countsAmong(
        selection,
        found.map((o) => o.when),
      ),
      longestLook,
    )
    .catch(() => []);
  return found.flatMap(({ of, field }, i): Note[] => {
    const count = Number(counts[0]?.[`n${i + 1}`] ?? 0);
    if (count === 0) return [];
    const at = job.edits.findIndex((e) => e.field.toLowerCase() === field.name.toLowerCase());
    const edit = job.edits[at];
    // An edit may ask by itself, as ranges do, which is no condition of the person's.
    if (of === 'where' && edit?.where === undefined) return [];
    const mend = edit && mends[of](edit);
    return [
      {
        code: 'blank_otherwise',
        message: words[of](
          count === 1 ? 'one record' : `${count.toLocaleString('en-US')} records`,
          field.label.toLowerCase(),
        ),
        count,
        examples: [],
        ...(mend ? { mend: { words: mend.words, edit: { at, edit: mend.edit } } } : {}),
      },
    ];
  });
}

const words: Readonly<Record<Otherwise['of'], (records: string, label: string) => string>> = {
  where: (records, label) =>
    `For ${records} what the condition of ${label} asks is blank, so it does not hold: ${label} is left as it is.`,
  formula: (records, label) =>
    `For ${records} something that the new ${label} asks is blank: it becomes what is meant for all others.`,
  map: (records, label) =>
    `For ${records} the value to look up is blank: ${label} becomes what the map gives all others.`,
};

type Offered = { readonly words: string; readonly edit: Edit } | undefined;

const mends: Readonly<Record<Otherwise['of'], (edit: Edit) => Offered>> = {
  where(edit) {
    const taking = edit.where === undefined ? undefined : leavingOut(edit.where)?.taking;
    return taking === undefined ? undefined : { words: 'Take them in', edit: { ...edit, where: taking } };
  },
  formula: () => undefined,
  map(edit) {
    if (edit.kind !== 'map') return undefined;
    const isThere = `NOT ISBLANK(${edit.from ?? edit.field})`;
    const where = edit.where === undefined ? isThere : `(${edit.where}) AND ${isThere}`;
    return { words: 'Leave them as they are', edit: { ...edit, where } };
  },
};
