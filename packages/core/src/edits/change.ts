import type { Field } from '../catalog/catalog';
import type { Checked } from '../language/checked';

/** What every edit comes down to, one or more of these: *field := value, when condition* (null: always). */
export interface Change {
  readonly field: Field;
  readonly value: ValueSource;
  readonly when: Checked | null;
}

/** Where a value comes from. */
export type ValueSource =
  /** Worked out from the record and what it reaches. */
  | { readonly from: 'expression'; readonly tree: Checked }
  | { readonly from: 'given'; readonly given: Given }
  | { readonly from: 'place'; readonly place: Place };

/** One value a key, out of a table; records without one are left as they are. */
export type Given =
  /** By key, each a value or a name still to be looked up. */
  | { readonly pairs: ReadonlyMap<string, Checked> }
  /** Kept by the service under this id. */
  | { readonly kept: string };

/**
 * From a record's place in an order, counted from 1 within its group over the whole selection: the same however the
 * selection is cut. `value` is an expression in which a node `place` stands for the place, or the size of the group.
 */
export interface Place {
  /** Records with the same of these are one group. */
  readonly per: readonly Checked[];
  /** The key decides between equals. */
  readonly order: readonly { readonly tree: Checked; readonly descending: boolean }[];
  readonly value: Checked;
}

/** Every tree of a change. */
export function treesOf({ value, when }: Change): readonly Checked[] {
  const own = when ? [when] : [];
  switch (value.from) {
    case 'expression':
      return [value.tree, ...own];
    case 'given':
      return [...('pairs' in value.given ? value.given.pairs.values() : []), ...own];
    case 'place':
      return [...value.place.per, ...value.place.order.map((o) => o.tree), value.place.value, ...own];
  }
}

/** The change with each of its trees changed. */
export function withTrees(change: Change, edit: (tree: Checked) => Checked): Change {
  const when = change.when && edit(change.when);
  const { value } = change;
  switch (value.from) {
    case 'expression':
      return { ...change, when, value: { from: 'expression', tree: edit(value.tree) } };
    case 'given': {
      if (!('pairs' in value.given)) return { ...change, when };
      const pairs = new Map([...value.given.pairs].map(([key, tree]) => [key, edit(tree)]));
      return { ...change, when, value: { from: 'given', given: { pairs } } };
    }
    case 'place': {
      const { per, order, value: made } = value.place;
      const place: Place = {
        per: per.map(edit),
        order: order.map((o) => ({ ...o, tree: edit(o.tree) })),
        value: edit(made),
      };
      return { ...change, when, value: { from: 'place', place } };
    }
  }
}
