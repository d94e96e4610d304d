import type { Field, RecordType } from '../catalog/catalog';
import { walk, type Checked } from '../language/checked';
import type { NoResult } from '../language/no-result';
import { fail } from '../problem';

/** What every edit comes down to, one or more of these: *field := value, when condition* (null: always). */
export interface Change {
  readonly field: Field;
  readonly value: ValueSource;
  readonly when: Checked | null;
  /** The type pointed at, where a record may not come to point at one of it that is not active. */
  readonly active?: RecordType;
}

/** Where a value comes from. */
export type ValueSource =
  /** From the record and what it reaches; without `worked` it is known to fit the field. */
  | { readonly from: 'expression'; readonly tree: Checked; readonly worked?: Worked }
  | { readonly from: 'given'; readonly given: Given }
  | { readonly from: 'place'; readonly place: Place }
  | { readonly from: 'another'; readonly another: Another };

/** A value that is worked out may be none, or not fit its field: then the record is not allowed, with the reason. */
export interface Worked {
  /** What becomes of a record for which nothing comes out. */
  readonly blank: 'refused' | 'cleared';
  /** Where the value says which record a reference is to point at: by its name, or its key. */
  readonly target: Target | null;
  /** Why there may be no result: the first that holds is told. */
  readonly refusals: readonly NoResult[];
}

export interface Target {
  readonly type: RecordType;
}

/** One value a key, out of a table. */
export type Given =
  /** Each a value or a name still to be looked up; `by` null: by the record's key. */
  | {
      readonly entries: readonly { readonly key: Checked; readonly value: Checked }[];
      readonly by: Checked | null;
      readonly rest: Rest;
    }
  /** The same, kept by the service under this id; of a set with several fields, those at this place, from 1. */
  | { readonly kept: string; readonly at?: number; readonly by: Checked | null; readonly rest: Rest };

/** What becomes of records whose key there is no value for: left as they are, not allowed, or given a value. */
export type Rest =
  { readonly act: 'leave' } | { readonly act: 'refuse' } | { readonly act: 'give'; readonly value: Checked };

/**
 * From a record's place in an order, counted from 1 within its group over the whole selection: the same however the
 * selection is cut. `value` is an expression in which a node `place` stands for the place, or the size of the group.
 */
export interface Place {
  /** Records with the same of these are one group. */
  readonly per: readonly Checked[];
  /** Records with the same of these have the place of the first of them. */
  readonly together: readonly Checked[];
  /** Where numbers go on after the highest that any record of the type has in its group: where that stands. */
  readonly highest: Highest | null;
  /** Where those who have fewest are dealt to first: what is to be counted before the value can be said (`level.ts`). */
  readonly level: Level | null;
  /** The key decides between equals. */
  readonly order: readonly { readonly tree: Checked; readonly descending: boolean }[];
  readonly value: Checked;
  readonly worked: Worked;
}

/**
 * The present value of another record of the same group: of the one whose place by key is this record's place in `order`.
 * So each value there is goes to exactly one record.
 */
export interface Another {
  readonly per: readonly Checked[];
  /** The key decides between equals. */
  readonly order: Place['order'];
}

/** Must the whole selection be known before the value of any record is? */
export function restsOnAll({ value }: Change): boolean {
  return value.from === 'place' || value.from === 'another';
}

/** Numbers in use: the values of a number field or, of a text, the digits behind what comes before them. */
export interface Highest {
  readonly of: Checked;
  readonly prefix: Checked | null;
}

/** What is to be counted for each value before records are dealt to those who have fewest. */
export interface Level {
  readonly values: readonly Checked[];
  readonly loads: readonly Load[];
}

export interface Load {
  readonly type: RecordType;
  readonly field: Field;
  readonly condition: Checked | null;
}

/** The fields of which the change reads what the job writes. */
export function newFieldsIn(change: Change): ReadonlySet<string> {
  const names = new Set<string>();
  for (const tree of treesOf(change))
    walk(tree, (node) => {
      if (node.kind === 'field' && node.at.isNew) names.add(node.at.field.name);
    });
  return names;
}

/**
 * The places of changes so that each comes after those it reads from. Throws where one reads what no change writes, or where
 * they wait for each other.
 */
export function inTurn(changes: readonly Change[]): readonly number[] {
  const reads = changes.map(newFieldsIn);
  const at = new Map(changes.map((c, i) => [c.field.name, i]));
  const done: number[] = [];
  const open = new Set<number>();
  const visit = (i: number): void => {
    if (done.includes(i)) return;
    const { field } = changes[i]!;
    if (open.has(i))
      fail('bad_value', `The new ${field.label.toLowerCase()} would be worked out from itself.`, { where: 'edits' });
    open.add(i);
    for (const name of reads[i]!) {
      const other = at.get(name);
      if (other === undefined)
        fail('bad_value', `No edit of this job writes ${name}, so new(${name}) is just ${name}.`, { where: 'edits' });
      visit(other);
    }
    open.delete(i);
    done.push(i);
  };
  changes.forEach((_, i) => visit(i));
  return done;
}

/** Every tree of a change. */
export function treesOf(change: Change): readonly Checked[] {
  const trees: Checked[] = [];
  withTrees(change, (tree) => {
    trees.push(tree);
    return tree;
  });
  return trees;
}

/** The change with each of its trees changed. */
export function withTrees(change: Change, edit: (tree: Checked) => Checked): Change {
  const when = change.when && edit(change.when);
  const ordered = (order: Place['order']): Place['order'] => order.map((o) => ({ ...o, tree: edit(o.tree) }));
  const asked = (w: Worked): Worked => ({ ...w, refusals: w.refusals.map((r) => ({ ...r, when: edit(r.when) })) });
  const { value } = change;
  switch (value.from) {
    case 'expression': {
      const { tree, worked } = value;
      return {
        ...change,
        when,
        value: { from: 'expression', tree: edit(tree), ...(worked && { worked: asked(worked) }) },
      };
    }
    case 'given': {
      const { given } = value;
      const rest: Rest = given.rest.act === 'give' ? { act: 'give', value: edit(given.rest.value) } : given.rest;
      const all = { by: given.by && edit(given.by), rest };
      if ('kept' in given) return { ...change, when, value: { from: 'given', given: { ...given, ...all } } };
      const entries = given.entries.map((e) => ({ key: edit(e.key), value: edit(e.value) }));
      return { ...change, when, value: { from: 'given', given: { entries, ...all } } };
    }
    case 'place': {
      const { per, together, highest, level, order, value: made, worked } = value.place;
      const place: Place = {
        per: per.map(edit),
        together: together.map(edit),
        level: level && {
          values: level.values.map(edit),
          loads: level.loads.map((l) => ({ ...l, condition: l.condition && edit(l.condition) })),
        },
        highest: highest && { of: edit(highest.of), prefix: highest.prefix && edit(highest.prefix) },
        order: ordered(order),
        value: edit(made),
        worked: asked(worked),
      };
      return { ...change, when, value: { from: 'place', place } };
    }
    case 'another': {
      const { per, order } = value.another;
      return { ...change, when, value: { from: 'another', another: { per: per.map(edit), order: ordered(order) } } };
    }
  }
}
