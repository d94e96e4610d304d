import type { RecordType } from '../catalog/catalog';
import type { Change } from '../edits/change';

/** The rows of a kept file of which records are made, and what their fields get of them. */
export interface FiledRows {
  readonly name: string;
  readonly rows: RecordType;
  readonly count: number;
  /** Over `rows`; their fields are those of the type that is made. */
  readonly changes: readonly Change[];
}
