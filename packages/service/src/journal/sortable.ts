import type { OrderPart, RecordType } from '@tantamos/core';

/** Are its keys whole numbers, so that `tantamos.sortable` sorts them as numbers? */
export function isWhole({ key, fields }: RecordType): boolean {
  return key.length === 1 && fields.some((f) => f.name === key[0] && /^(smallint|integer|bigint)$/.test(f.dbType));
}

/** Are the frozen keys of a part whole numbers? `source`: the type of the records that they are of, unless they are of rows. */
export function areWhole({ ofRows }: Pick<OrderPart, 'ofRows'>, source: () => RecordType): boolean {
  return ofRows === true || isWhole(source());
}
