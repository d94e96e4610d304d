import type { Span } from '../problem';
import type { CheckedSelection, FieldPath } from './checked';
import type { Env } from './functions/entry';
import type { OwnRule } from './own-rule';
import type { FiledRows } from '../file/filed';
import type { Part } from './syntax';

/** What an expression may refer to besides the record: the time, the person, the saved selections. */
export interface Context {
  readonly env: Env;
  /** The record that stands for the person signed in; null where there is none. */
  readonly me: Me | null;
  /** How the person reads numbers and times (BCP 47); null: as the language writes them. */
  readonly locale?: string | null;
  /** It belongs to an edit, which may speak of what the other edits of its job write: new(field). */
  readonly ofEdit?: boolean;
  /** It belongs to a later part of a job, which may speak of what an earlier one will write: planned(path), as edits may. */
  readonly ofLaterPart?: boolean;
  /** It belongs to a rule, which may speak of what a field was before it is changed: old(field). */
  readonly ofRule?: boolean;
  /** Kept files of which the job makes records, by id. */
  readonly filed?: ReadonlyMap<string, FiledRows>;
  /** The column that a name such as `file.price` means, where an edit reads columns of a file; undefined: it means none. */
  readonly column?: (path: readonly Part[]) => FieldPath | undefined;
  /** The saved selection of that name, checked; throws `not_found` where the person has none. */
  selected(name: string, span: Span): CheckedSelection;
  /** The run of that id, or of the beginning of it, that the person may know of; throws `not_found`. */
  run(id: string, span: Span): RunMeant;
  /** The rule of that name as the person may see it, and the type it is of; throws `not_found`. */
  rule(name: string, span: Span): { readonly type: string; readonly rule: OwnRule };
  /** The rules that hold for records of a type, seen or not. */
  rulesOf(typeId: string): readonly OwnRule[];
}

/** A run that an expression speaks of: its whole id, and the types of its records. */
export interface RunMeant {
  readonly id: string;
  readonly types: readonly string[];
}

/** A record of a type that holds people, by its key. */
export interface Me {
  readonly type: string;
  readonly key: string;
}

/** A context for expressions that refer to nothing: the epoch, UTC, nobody. */
export const noContext: Context = {
  env: { timeZone: 'UTC', now: 0n },
  me: null,
  selected(name) {
    throw new Error(`There are no saved selections here, so none is called “${name}”.`);
  },
  run(id) {
    throw new Error(`There are no runs here, so none is called “${id}”.`);
  },
  rule(name) {
    throw new Error(`There are no rules here, so none is called “${name}”.`);
  },
  rulesOf: () => [],
};
