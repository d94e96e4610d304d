import type { Checked } from './checked';

/** A rule of the workspace's own, checked (see `checkRule`). */
export interface OwnRule {
  readonly name: string;
  /** What a person is told when it is broken. */
  readonly message: string;
  /** True of a record that breaks it; in the rule of a change, old(field) is what the field was. */
  readonly broken: Checked;
  /** The same as it reads the records that the person may see, by which it is known whether others have changed them since. */
  readonly reads: Checked;
  /** Fields of the record whose change it is about. */
  readonly fields: readonly string[];
  /** It is about a change, so no record breaks it by itself. */
  readonly ofChange: boolean;
}
