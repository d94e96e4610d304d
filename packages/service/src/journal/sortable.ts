import type { RecordType } from '@tantamos/core';

/** Are its keys whole numbers, so that `tantamos.sortable` sorts them as numbers? */
export function isWhole({ key, fields }: RecordType): boolean {
  return key.length === 1 && fields.some((f) => f.name === key[0] && /^(smallint|integer|bigint)$/.test(f.dbType));
}
