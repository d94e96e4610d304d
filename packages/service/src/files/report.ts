import type { FileReport } from '@tantamos/contract';
import {
  countedWords,
  fateWords,
  rowFates,
  typeWords,
  type CheckedPlan,
  type RecordType,
  type RowFate,
} from '@tantamos/core';
import type { Connection } from '../database/database';

// What became of the rows of a file, counted and in words.

/** Counts every row once; of the temporary table `filed`. */
export async function reportOf(
  connection: Connection,
  file: { readonly id: string; readonly rows: number },
  { type, signed, plan }: CheckedPlan,
): Promise<FileReport> {
  // A row that may be taken for several records stands there for each of them.
  const isOnce = plan.several !== 'all';
  const [fates, whose] = isOnce ? ['filed', []] : ['tantamos.file_fate where file = $1', [file.id]];
  const { rows: counted } = await connection.query<{ fate: RowFate; n: number }>(
    `select fate, count(*)::int as n from ${fates} group by 1`,
    whose,
  );
  const found = new Map(counted.map((c) => [c.fate, c.n]));
  const fatesOf = Object.fromEntries(rowFates.map((f) => [f, found.get(f) ?? 0])) as Record<RowFate, number>;
  const { rows: reasons } = await connection.query<{ reason: string; count: number }>(
    `select case when fate = 'twice' then 'several rows say different things of one record' when fate = 'repeat' then 'a row above says the same'
         else reason end as reason, count(*)::int as count
     from (select fate, reason from ${fates}) f where reason is not null group by 1 order by 2 desc, 1 limit 20`,
    whose,
  );
  const { rows: taken } = isOnce
    ? { rows: [{ n: fatesOf.taken }] }
    : await connection.query<{ n: number }>(`select count(distinct key)::int as n from filed where fate = 'taken'`);
  const mended =
    signed === null
      ? 0
      : (await connection.query<{ n: number }>('select coalesce(sum(cardinality(damage)), 0)::int as n from filed'))
          .rows[0]!.n;
  const records = taken[0]!.n;
  return {
    rows: file.rows,
    fates: fatesOf,
    records,
    reasons,
    sentence: sentenceOf(file.rows, fatesOf, records, type),
    mended,
  };
}

/** “300 rows = 221 taken + 26 fit no record + 53 said before; 221 → 229 contacts” */
function sentenceOf(rows: number, of: Readonly<Record<RowFate, number>>, records: number, type: RecordType): string {
  const n = (count: number): string => count.toLocaleString('en-US');
  const parts = rowFates.flatMap((f) => (of[f] > 0 ? [`${n(of[f])} ${fateWords[f]}`] : []));
  const sum = `${n(rows)} ${rows === 1 ? 'row' : 'rows'} = ${parts.join(' + ')}`;
  return of.taken > 0 ? `${sum}; ${n(of.taken)} → ${countedWords(records, type)}` : sum;
}

/** Why nothing can be done with the file as it is planned; null where something can. */
export function stoppedBy({ fates: of, rows }: FileReport, { plan, type }: CheckedPlan): string | null {
  const n = of.unknown.toLocaleString('en-US');
  if (of.unknown > 0 && plan.unknown === 'stop')
    return `${n} ${of.unknown === 1 ? 'row fits' : 'rows fit'} no record of ${typeWords(type)}: look at them, then leave them out or make records of them.`;
  if (of.taken + of.new === 0)
    return of.same > 0 && of.same + of.blank === rows
      ? 'Nothing was edited in it.'
      : 'No row can be taken: look at why.';
  return null;
}
