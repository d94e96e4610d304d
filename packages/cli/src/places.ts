import type { Edit } from '@tantamos/core';

/** The options that the edits of the running command came from, in their order. */
export const saidEdits: string[] = [];

/** The option an edit of the command line is said with. */
export function optionOf(edit: Edit): string {
  return edit.kind === 'set' && edit.value === '' ? '--empty' : `--${edit.kind}`;
}

const places: readonly (readonly [RegExp, string])[] = [
  [/^(selection\.)?filter/, '--filter'],
  [/^(selection\.)?related/, '--related'],
  [/^(selection\.)?list\.unknown/, '--unknown'],
  [/^(selection\.)?list\.several/, '--several'],
  [/^targets\[\d+\]\.fields/, '--match'],
  [/^(selection\.)?(list|text)/, '--list'],
  [/^(selection\.)?take\.order/, '--by'],
  [/^(selection\.)?take\.per/, '--per'],
  [/^(selection\.)?take\.seed/, '--seed'],
  [/^(selection\.)?take/, '--first or --random'],
  [/^(selection\.)?keys/, '--keys'],
  [/^(selection\.)?drop/, '--drop'],
  [/^(selection\.)?type/, 'TYPE'],
  [/^safety\.batchSize/, '--batch-size'],
  [/^safety\.atOnce/, '--at-once'],
  [/^safety\.pace/, '--pace'],
  [/^(safety\.)?askAfter/, '--ask-after'],
  [/^safety\.atMost/, '--at-most'],
  [/^expect/, '--expect'],
  [/^columns/, '--show'],
  [/^sort/, '--sort'],
  [/^why/, '--why'],
];

/** A place in a request as the option that said it; null where no option did. */
export function placeOf(where: string): string | null {
  const edit = /^edits\[(\d+)\]/.exec(where);
  if (edit) return saidEdits[Number(edit[1])] ?? null;
  return places.find(([place]) => place.test(where))?.[1] ?? null;
}
