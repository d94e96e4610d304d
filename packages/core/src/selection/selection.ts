import { fieldOf, hasOrder, type Catalog, type RecordType } from '../catalog/catalog';
import { canonicalKey, keyFields } from '../catalog/key';
import { resolveColumn } from '../catalog/path';
import { checkCondition } from '../language/check';
import type { Checked, FieldPath } from '../language/checked';
import type { Context } from '../language/context';
import type { Env } from '../language/functions/entry';
import { parse } from '../language/parse';
import { fail, within } from '../problem';
import { checkRelated, type CheckedRelated, type Related } from './related';

/**
 * Which records. The parts narrow the set in this order, each what is left by those before it: relatives of another
 * selection, a condition, a pasted list, the first or a sample of these, picked records, records dropped by hand.
 */
export interface Selection {
  readonly type: string;
  readonly related?: Related;
  /** CQL2 text; absent or blank means every record. */
  readonly filter?: string;
  readonly list?: ListChoice;
  readonly take?: Take;
  /** Keys of picked records, as text. */
  readonly keys?: readonly string[];
  /** Keys of records left out by hand. */
  readonly drop?: readonly string[];
}

/** A pasted list that was matched before, and what to do about entries that fit no record or several. */
export interface ListChoice {
  readonly id: string;
  /** Entries that several records fit: all of them, none, or only as chosen one by one (default: all). */
  readonly several?: 'all' | 'none';
  /** Entries that no record fits: stop and say so, or go on without them (default: stop). */
  readonly unknown?: 'stop' | 'skip';
}

/** The first `count` by an order, or at random; of each value of a field where `per` is given. */
export interface Take {
  readonly count: number;
  /** Field names or paths, `-` before one for descending; without it the key's order. */
  readonly order?: readonly string[];
  /** Any text: the same seed takes the same records at random. */
  readonly seed?: string;
  readonly per?: string;
}

export interface CheckedSelection {
  readonly type: RecordType;
  readonly related: CheckedRelated | null;
  readonly condition: Checked | null;
  /** The condition as it was written. */
  readonly source: string | null;
  readonly list: ListChoice | null;
  readonly take: CheckedTake | null;
  readonly keys: readonly string[] | null;
  readonly drop: readonly string[] | null;
  readonly env: Env;
}

export interface CheckedTake {
  readonly count: number;
  readonly order: readonly { readonly path: FieldPath; readonly descending: boolean }[];
  readonly seed: string | null;
  readonly per: FieldPath | null;
}

/** All records of a type. */
export function everyRecord(type: RecordType): CheckedSelection {
  return {
    type,
    related: null,
    condition: null,
    source: null,
    list: null,
    take: null,
    keys: null,
    drop: null,
    env: { timeZone: 'UTC', now: 0n },
  };
}

/** Parses and checks; throws problems whose place is `type`, `filter`, `take` … */
export function checkSelection(selection: Selection, catalog: Catalog, context: Context): CheckedSelection {
  const type = within('type', () => catalog.type(selection.type));
  const { keys = null, drop = null, list = null, related, take } = selection;
  if (keys || drop || list || related || take) within('type', () => keyFields(type));
  const source = selection.filter?.trim() ? selection.filter : null;
  return {
    type,
    related: related ? within('related', () => checkRelated(related, type, catalog, context)) : null,
    condition: source === null ? null : within('filter', () => checkCondition(parse(source), catalog, type, context)),
    source,
    list,
    take: take ? within('take', () => checkTake(take, type, catalog)) : null,
    keys: keys && within('keys', () => keys.map((k) => canonicalKey(type, k))),
    drop: drop && within('drop', () => drop.map((k) => canonicalKey(type, k))),
    env: context.env,
  };
}

function checkTake(take: Take, type: RecordType, catalog: Catalog): CheckedTake {
  if (!Number.isSafeInteger(take.count) || take.count < 0) fail('bad_value', 'How many to take is a whole number.');
  if (take.seed !== undefined && take.order?.length)
    fail('bad_value', 'Either at random or by an order; both at once have no meaning.');
  const order = (take.order ?? []).map((column) => {
    const path = resolveColumn(catalog, type, column.replace(/^[-+]/, ''));
    if (!hasOrder(path.field)) fail('type_mismatch', `${path.field.label} has no order.`);
    return { path, descending: column.startsWith('-') };
  });
  const per = take.per === undefined ? null : { through: [], type, field: fieldOf(type, take.per) };
  return { count: take.count, order, seed: take.seed ?? null, per };
}

/** Does it take every record of the type, but for some that were dropped by hand? */
export function isEverything({ filter, keys, related, list, take }: Selection): boolean {
  return !filter?.trim() && !keys && !related && !list && !take;
}
