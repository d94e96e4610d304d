import type { Edit } from '@tantamos/core';

/** Edits with the options that said them, in their order. */
export type SaidEdits = { readonly edit: Edit; readonly option: string }[];

/** Those of the running command. */
let saidEdits: SaidEdits = [];

export function tellPlaces(said: SaidEdits): void {
  saidEdits = said;
}

/** The text at a place of an edit, such as its formula, where there is one. */
export function textAt(where: string): string | undefined {
  const [, index, path = ''] = /^edits\[(\d+)\]\.(.+)$/.exec(where) ?? [];
  const steps = path.match(/[^.[\]]+/g) ?? [];
  const edit: unknown = saidEdits[Number(index)]?.edit;
  const text = steps.reduce((here, step) => (here as Record<string, unknown> | undefined)?.[step], edit);
  return typeof text === 'string' ? text : undefined;
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
  [/^after/, '--again'],
  [/^field$/, '--field'],
  [/^with$/, '--against'],
  [/^columns/, '--show'],
  [/^sort/, '--sort'],
  [/^why/, '--why'],
];

/** A place in a request as the option that said it; null where no option did. */
export function placeOf(where: string): string | null {
  const edit = /^edits\[(\d+)\]/.exec(where);
  if (edit) return saidEdits[Number(edit[1])]?.option ?? null;
  return places.find(([place]) => place.test(where))?.[1] ?? null;
}
