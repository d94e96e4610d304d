import { fieldOf, hasOrder, type Catalog, type RecordType } from '../catalog/catalog';
import { canonicalKey, keyFields } from '../catalog/key';
import { resolveColumn } from '../catalog/path';
import { checkCondition } from '../language/check';
import type { CheckedSelection, CheckedTake } from '../language/checked';
import type { Context } from '../language/context';
import { parse } from '../language/parse';
import { fail, inside, within } from '../problem';
import { checkRelated } from './related';
import type { Selection, Take } from './shape';

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
    related: related ? inside('related', () => checkRelated(related, type, catalog, context, checkSelection)) : null,
    condition: source === null ? null : within('filter', () => checkCondition(parse(source), catalog, type, context)),
    source,
    list,
    take: take ? within('take', () => checkTake(take, type, catalog)) : null,
    keys: keys && within('keys', () => keys.map((k) => canonicalKey(type, k))),
    drop: drop && within('drop', () => drop.map((k) => canonicalKey(type, k))),
    env: context.env,
  };
}

/** Field names or paths, `-` before one for descending. */
export function orderBy(columns: readonly string[], type: RecordType, catalog: Catalog): CheckedTake['order'] {
  return columns.map((column) => {
    const path = resolveColumn(catalog, type, column.replace(/^[-+]/, ''));
    if (!hasOrder(path.field)) fail('type_mismatch', `${path.field.label} has no order.`);
    return { path, descending: column.startsWith('-') };
  });
}

function checkTake(take: Take, type: RecordType, catalog: Catalog): CheckedTake {
  if (!Number.isSafeInteger(take.count) || take.count < 0) fail('bad_value', 'How many to take is a whole number.');
  if (take.seed !== undefined && take.order?.length)
    fail('bad_value', 'Either at random or by an order; both at once have no meaning.');
  const order = orderBy(take.order ?? [], type, catalog);
  const per = take.per === undefined ? null : { through: [], type, field: fieldOf(type, take.per) };
  return { count: take.count, order, seed: take.seed ?? null, per };
}

/** Does it take every record of the type, but for some that were dropped by hand? */
export function isEverything({ filter, keys, related, list, take }: Selection): boolean {
  return !filter?.trim() && !keys && !related && !list && !take;
}
