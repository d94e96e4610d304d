import type { Edit } from '@tantamos/core';

/** Edits with the options that said them, in their order. */
export type SaidEdits = { readonly edit: Edit; readonly option: string }[];

/** Those of the running command, part by part. */
let saidEdits: readonly SaidEdits[] = [];

export function tellPlaces(said: readonly SaidEdits[]): void {
  saidEdits = said;
}

/** The long names of the running command's options. */
let ownOptions: ReadonlySet<string> = new Set();

export function tellOptions(names: readonly string[]): void {
  ownOptions = new Set(names);
}

/** Which part a place is in, from 0, and the place within it. */
function partOf(where: string): { readonly part: number; readonly within: string } {
  const [, n, within] = /^then\[(\d+)\]\.(.+)$/.exec(where) ?? [];
  return n === undefined ? { part: 0, within: where } : { part: Number(n) + 1, within: within! };
}

/** The text at a place of an edit, such as its formula, where there is one. */
export function textAt(where: string): string | undefined {
  const { part, within } = partOf(where);
  const [, index, path = ''] = /^edits\[(\d+)\]\.(.+)$/.exec(within) ?? [];
  const steps = path.match(/[^.[\]]+/g) ?? [];
  const edit: unknown = saidEdits[part]?.[Number(index)]?.edit;
  const text = steps.reduce((here, step) => (here as Record<string, unknown> | undefined)?.[step], edit);
  return typeof text === 'string' ? text : undefined;
}

const places: readonly (readonly [RegExp, string])[] = [
  // Of a file of values.
  [/^take\[\d+\]\.formula/, '--take-computed'],
  [/^take\[/, '--take'],
  [/^match/, '--match'],
  [/^readings\..*\.dates$/, '--dates'],
  [/^readings/, '--decimal'],
  [/^(encoding|separator|sheet)$/, '--encoding, --separator or --sheet'],
  [/^file$/, 'FILE'],
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
  [/^(safety\.)?atOnce/, '--at-once'],
  [/^(safety\.)?pace/, '--pace'],
  [/^(safety\.)?askAfter/, '--ask-after'],
  [/^firstKeys/, '--ask-keys'],
  [/^(safety\.)?first/, '--ask-first'],
  [/^(safety\.)?perSecond/, '--per-second'],
  [/^safety\.perGo/, '--per-go'],
  [/^safety\.goEvery/, '--go-every'],
  [/^safety\.hours/, '--hours'],
  [/^safety\.order/, '--order'],
  [/^safety\.stopIf/, '--stop-if'],
  [/^safety\.atMostShare/, '--at-most-share'],
  [/^safety\.atLeast/, '--at-least'],
  [/^safety\.atMost/, '--at-most'],
  [/^expect/, '--expect'],
  [/^fields(\[|$)/, '--fields'],
  [/^(since|until|record|old|new|text|outcome)$/, '--$1'],
  [/^after/, '--again'],
  [/^field$/, '--field'],
  [/^with$/, '--against'],
  [/^columns/, '--show'],
  [/^sort/, '--sort'],
  [/^why/, '--why'],
  [/^inputs\./, '--input'],
  [/^follows/, '--follow'],
  [/^among/, '--to'],
  [/^person/, 'PERSON'],
  [/^also\[\d+\]\.values\[\d+\]\.formula/, '--with-computed'],
  [/^also\[\d+\]\.values/, '--with'],
  [/^also\[\d+\]\.per/, '--for-each'],
  [/^also\[\d+\]\.by/, '--pointing'],
  [/^also\[\d+\]\.first/, '--first-in'],
  [/^also/, '--also'],
];

/** `$1` in an option is what the place itself is called. */
function optionAt(within: string): string | null {
  // `type` is the argument of most commands, and an option of some.
  if (ownOptions.has(`--${within}`)) return `--${within}`;
  const [place, option] = places.find(([pattern]) => pattern.test(within)) ?? [];
  return option === undefined ? null : option.replace('$1', place!.exec(within)![1] ?? '');
}

/** A place in a request as the option that said it; null where no option did. */
export function placeOf(where: string): string | null {
  const { part, within } = partOf(where);
  const edit = /^edits\[(\d+)\]/.exec(within);
  const option = edit ? (saidEdits[part]?.[Number(edit[1])]?.option ?? null) : optionAt(within);
  return part === 0 || option === null ? option : `--then (part ${part + 1}) ${option}`;
}
