import type { Catalog } from '@tantamos/core';
import type { AlongLeft } from '../engine/along-back';
import type { Note } from './preview-row';

const number = (n: number): string => n.toLocaleString('en-US');

/** What an undo leaves of related records, because they are gone or were edited since. */
export function alongNotes(left: readonly AlongLeft[], seen: Catalog): Note[] {
  return left.flatMap(({ type, act, edited, gone }): Note[] => {
    const label = seen.find(type)?.label;
    // Nothing is said of a type that the person may not see.
    if (label === undefined) return [];
    const what = act === 'delete' ? 'created by the run' : 'whose reference the run changed';
    const note = (code: Note['code'], count: number, words: string): Note[] =>
      count === 0 ? [] : [{ code, count, message: `${label}: ${number(count)} ${what} ${words}`, examples: [] }];
    return [
      ...note('related_gone', gone, `${gone === 1 ? 'is' : 'are'} gone already. This does not hinder the undo.`),
      ...note(
        'related_edited',
        edited,
        `${edited === 1 ? 'was' : 'were'} edited since and will stay as ${edited === 1 ? 'it is' : 'they are'}.`,
      ),
    ];
  });
}
