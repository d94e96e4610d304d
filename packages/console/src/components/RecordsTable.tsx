import type { JournalRecord } from '@tantamos/contract';
import { alike, cameToNothing, isRows, outcomeWords } from '@tantamos/core';
import { Link } from 'react-router';
import { Change, Shown } from './Change';
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
  const groups = alike(records);
  return groups.map(({ of, records: group }, i) => (
    <Alike key={i} {...rest} records={group} caption={groups.length > 1 || group[0]!.makes !== null ? of : null} />
  ));
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
        {isRows({ id: record.type }) ? (
          // A row of a file is no record yet.
          record.name
        ) : (
          <Link
            to={`/records/${encodeURIComponent(record.type)}/${encodeURIComponent(record.key)}`}
            className="hover:text-accent hover:underline"
          >
            {record.name ?? <span className="text-quiet">no longer there</span>}
          </Link>
        )}
      </td>
      <td className={`${cell} text-quiet`}>{keyWords(record.key)}</td>
      {withOutcome && <td className={cell}>{outcomeWords(record.outcome)}</td>}
      {record.changes.map((c) => (
        <td key={c.field} className={cell}>
          <Became record={record} change={c} />
        </td>
      ))}
      {withCause && <td className={reason}>{record.cause}</td>}
    </tr>
  );
}

/** What a field becomes; of what is made only what it gets, of what is deleted only what it held. */
function Became({ record, change: c }: { record: JournalRecord; change: JournalRecord['changes'][number] }) {
  const isNothing = cameToNothing(record, c.new.value);
  if (record.act === 'create' && !isNothing) return <Shown value={c.new} kind={c.kind} />;
  if (record.act === 'delete') {
    const old = <Shown value={c.old} kind={c.kind} />;
    const goes = record.outcome === 'will_change' || record.outcome === 'changed';
    return goes ? <s className="text-quiet">{old}</s> : old;
  }
  return <Change old={c.old} now={isNothing ? c.old : c.new} kind={c.kind} />;
}

const reason = 'min-w-64 border-b border-line px-3 py-1.5 break-words';
const head = 'h-8 border-b border-line px-3 text-left font-medium whitespace-nowrap first:pl-4';
const cell = 'h-8 max-w-80 truncate border-b border-line px-3 whitespace-nowrap first:pl-4';
