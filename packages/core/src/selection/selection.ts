import type { Catalog, RecordType } from '../catalog/catalog';
import { checkCondition } from '../language/check';
import type { Checked } from '../language/checked';
import { parse } from '../language/parse';
import { within } from '../problem';
import { keyOf } from '../catalog/catalog';

/** Which records: a type, a condition in the expression language, and picked keys. All given parts must hold. */
export interface Selection {
  readonly type: string;
  /** CQL2 text; absent or blank means every record. */
  readonly filter?: string;
  /** Keys of picked records, as text. */
  readonly keys?: readonly string[];
}

export interface CheckedSelection {
  readonly type: RecordType;
  readonly condition: Checked | null;
  readonly keys: readonly string[] | null;
}

/** Parses and checks; throws problems whose place is `type` or `filter`. */
export function checkSelection(selection: Selection, catalog: Catalog): CheckedSelection {
  const type = within('type', () => catalog.type(selection.type));
  const keys = selection.keys ?? null;
  if (keys) within('keys', () => keyOf(type));
  const text = selection.filter?.trim() ? selection.filter : null;
  const condition = text === null ? null : within('filter', () => checkCondition(parse(text), catalog, type));
  return { type, condition, keys };
}
