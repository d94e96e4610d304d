import type { JournalRecord } from '@tantamos/contract';
import { cameToNothing, outcomeWords } from '@tantamos/core';
import { Link } from 'react-router';
import { Change } from './Change';
import { keyWords } from './format';

/** Which of the records are picked, where they can be. */
export interface RecordPicks {
  readonly picked: ReadonlySet<string>;
  /** Of which type those are that can be. */
  readonly of: string;
  pick(key: string, on: boolean): void;
}

interface Props {
  records: readonly JournalRecord[];
  /** Show each record's outcome, where the list holds several kinds. */
  withOutcome?: boolean;
  picks?: RecordPicks;
}

/** Records of a preview or run: name, key, then changed fields old → new; those of several parts one table after another. */
export function RecordsTable({ records, ...rest }: Props) {
  const groups: JournalRecord[][] = [];
  const kindOf = (r: JournalRecord | undefined): string =>
    JSON.stringify(r && [r.type, r.makes, r.changes.map((c) => c.field)]);
  for (const r of records)
    if (kindOf(groups.at(-1)?.[0]) === kindOf(r)) groups.at(-1)!.push(r);
    else groups.push([r]);
  return groups.map((group, i) => (
    <Alike
      key={i}
      {...rest}
      records={group}
      caption={groups.length > 1 || group[0]!.makes !== null ? captionOf(group[0]!) : null}
    />
  ));
}

function captionOf({ type, makes }: JournalRecord): string {
  return makes === null ? type : `${makes}, one for each of ${type}`;
}

function Alike({ records, withOutcome, picks, caption }: Props & { caption: string | null }) {
  const fields = records[0]!.changes;
  const withCause = records.some((r) => r.cause !== null);
  return (
    <table className="w-full border-separate border-spacing-0">
      {caption !== null && (
        <caption className="px-4 pt-3 pb-1.5 text-left font-semibold first-letter:uppercase">{caption}</caption>
      )}
      <thead className="sticky top-0 bg-sunken">
        <tr>
          {picks && (
            <th className={`${head} w-8`}>
              <span className="sr-only">Picked</span>
            </th>
          )}
          <th className={head}>Record</th>
          <th className={head}>Key</th>
          {withOutcome && <th className={head}>Outcome</th>}
          {fields.map((c) => (
            <th key={c.field} className={head}>
              {c.label}
            </th>
          ))}
          {withCause && <th className={head}>Reason</th>}
        </tr>
      </thead>
      <tbody>
        {records.map((r) => (
          <Row key={`${r.type} ${r.key}`} record={r} withOutcome={withOutcome} withCause={withCause} picks={picks} />
        ))}
      </tbody>
    </table>
  );
}

function Row({
  record,
  withOutcome,
  withCause,
  picks,
}: {
  record: JournalRecord;
  withOutcome?: boolean;
  withCause: boolean;
  picks?: RecordPicks;
}) {
  return (
    <tr className="hover:bg-paper">
      {picks && (
        <td className={cell}>
          {record.type === picks.of && (
            <input
              type="checkbox"
              aria-label={`Pick ${record.name ?? keyWords(record.key)}`}
              className="block accent-accent"
              checked={picks.picked.has(record.key)}
              onChange={(e) => picks.pick(record.key, e.target.checked)}
            />
          )}
        </td>
      )}
      <td className={cell}>
        <Link
          to={`/records/${encodeURIComponent(record.type)}/${encodeURIComponent(record.key)}`}
          className="hover:text-accent hover:underline"
        >
          {record.name ?? <span className="text-quiet">no longer there</span>}
        </Link>
      </td>
      <td className={`${cell} text-quiet`}>{keyWords(record.key)}</td>
      {withOutcome && <td className={cell}>{outcomeWords(record.outcome)}</td>}
      {record.changes.map((c) => (
        <td key={c.field} className={cell}>
          <Change old={c.old} now={cameToNothing(record, c.new.value) ? c.old : c.new} kind={c.kind} />
        </td>
      ))}
      {withCause && <td className={reason}>{record.cause}</td>}
    </tr>
  );
}

const reason = 'min-w-64 border-b border-line px-3 py-1.5 break-words';
const head = 'h-8 border-b border-line px-3 text-left font-medium whitespace-nowrap first:pl-4';
const cell = 'h-8 max-w-80 truncate border-b border-line px-3 whitespace-nowrap first:pl-4';
