import type { Catalog, RecordType } from '../catalog/catalog';
import type { Change } from './change';
import type { Member } from './member';

/** What an edit kind must offer; `edit.ts` lists them. */
export interface EditKind<E> {
  /** What the edit holds besides its kind: the request class and the API document are made from it. */
  readonly members: { readonly [M in Exclude<keyof E, 'kind'>]-?: Member<E[M]> };
  /** Checks the edit against its type and lowers it; throws problems whose place is within the edit. */
  lower(edit: E, type: RecordType, catalog: Catalog): readonly Change[];
  /** The edit in words, without a full stop: “set status to Confirmed”. */
  sentence(edit: E, type: RecordType): string;
}
