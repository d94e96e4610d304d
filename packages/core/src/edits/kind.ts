import type { Catalog, RecordType } from '../catalog/catalog';
import type { Change } from './change';

/** What an edit kind must offer; `edit.ts` lists them. */
export interface EditKind<E> {
  /** Checks the edit against its type and lowers it; throws problems whose place is within the edit. */
  lower(edit: E, type: RecordType, catalog: Catalog): readonly Change[];
  /** The edit in words, without a full stop: “set status to Confirmed”. */
  sentence(edit: E, type: RecordType): string;
}
