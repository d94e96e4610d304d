interface Act {
  /** After “may”. */
  readonly words: string;
  /** Whether it is about records of types, or about the workspace as a whole. */
  readonly about: 'types' | 'workspace';
  /** May a line narrow it to some fields, or to some records. */
  readonly byField: boolean;
  readonly byRecord: boolean;
}

/** Everything that can be allowed or denied: the only list. */
const table = {
  see: { words: 'see', about: 'types', byField: true, byRecord: true },
  change: { words: 'change', about: 'types', byField: true, byRecord: true },
  change_many: { words: 'change many at once', about: 'types', byField: false, byRecord: false },
  create: { words: 'create', about: 'types', byField: false, byRecord: false },
  delete: { words: 'delete', about: 'types', byField: false, byRecord: true },
  put_back: { words: 'put back', about: 'types', byField: false, byRecord: false },
  overwrite: { words: 'overwrite others’ edits', about: 'types', byField: false, byRecord: false },
  steer: { words: 'steer others’ previews and runs', about: 'workspace', byField: false, byRecord: false },
  keep_open: { words: 'keep things open to all', about: 'workspace', byField: false, byRecord: false },
  administer: { words: 'administer', about: 'workspace', byField: false, byRecord: false },
} as const satisfies Record<string, Act>;

export type RightAct = keyof typeof table;
export const rightActs = Object.keys(table) as readonly RightAct[];

export function actWords(act: RightAct): string {
  return table[act].words;
}
export function isAboutTypes(act: RightAct): boolean {
  return table[act].about === 'types';
}
export function isByField(act: RightAct): boolean {
  return table[act].byField;
}
export function isByRecord(act: RightAct): boolean {
  return table[act].byRecord;
}

/** Without the right to change many, one run changes so many records at most. */
export const fewRecords = 100;
