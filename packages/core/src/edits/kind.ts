import type { Catalog, RecordType } from '../catalog/catalog';
import type { Checked } from '../language/checked';
import type { Context } from '../language/context';
import type { Change } from './change';
import type { Member } from './member';

/** What an edit is checked against: the type whose records it changes, and what its expressions may refer to. */
export interface About {
  readonly type: RecordType;
  readonly catalog: Catalog;
  readonly context: Context;
  /** The type of the record that is made for each of those records, whose fields these are; left out: `type`. */
  readonly into?: RecordType;
}

/** What is known where an edit is said in words. */
export interface Told extends Pick<About, 'type' | 'catalog' | 'into'> {
  /** The name of the record of a type that a text (a name or a key) means, where it has been looked up. */
  readonly nameOf: NameOf;
  /** A condition, and a formula as it was typed, with the names in them as they are shown; left out: as they are. */
  readonly inTree?: (tree: Checked) => Checked;
  readonly inText?: (text: string) => string;
}

export type NameOf = (typeId: string, text: string) => string | undefined;

/** What an edit kind must offer; `edit.ts` lists them. */
export interface EditKind<E> {
  /** What the edit holds besides its kind: the request class, the API document and the CLI's option are made from it. */
  readonly members: { readonly [M in Exclude<keyof E, 'kind'>]-?: Member<E[M]> };
  /** One line for people who choose: “Gives the field this value on every record.” */
  readonly doc: string;
  /** On the demo's records. */
  readonly example: E;
  /** Other words people have for it, so that it is found. */
  readonly words: readonly string[];
  /** Checks the edit against its type and lowers it; throws problems whose place is within the edit. */
  lower(edit: E, about: About): readonly Change[];
  /** The edit in words, without a full stop: “set status to Confirmed”. Of an edit that is wrong, too. */
  sentence(edit: E, told: Told): string;
}
