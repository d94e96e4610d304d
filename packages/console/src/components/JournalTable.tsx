import type { JournalRecord } from '@tantamos/contract';
import { outcomeWords } from '@tantamos/core';
import { useInfiniteQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { Button } from './Button';
import { Change } from './Change';
import { keyWords } from './format';
import { Trouble, Working } from './states';
import type { queries } from '../queries';

interface Props {
  /** Which journal. */
  query: ReturnType<typeof queries.runRecords> | ReturnType<typeof queries.previewRecords>;
  /** Show each record's outcome, where the list holds several kinds. */
  withOutcome?: boolean;
  empty: string;
}

/** Records of a preview or run: name, key, then changed fields old → new. */
export function JournalTable({ query, withOutcome, empty }: Props) {
  const pages = useInfiniteQuery(query as ReturnType<typeof queries.runRecords>);
  if (pages.isPending) return <Working what="Reading" />;
  if (pages.isError) return <Trouble error={pages.error} onRetry={() => void pages.refetch()} />;
  const records = pages.data.pages.flatMap((p) => p.records);
  if (records.length === 0) return <p className="p-4 text-quiet">{empty}</p>;
  const fields = records[0]!.changes;
  const withCause = records.some((r) => r.cause !== null);
  return (
    <div className="overflow-auto">
      <table className="w-full border-separate border-spacing-0">
        <thead className="sticky top-0 bg-sunken">
          <tr>
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
            <Row key={`${r.type} ${r.key}`} record={r} withOutcome={withOutcome} withCause={withCause} />
          ))}
        </tbody>
      </table>
      {pages.hasNextPage && (
        <p className="p-3">
          <Button busy={pages.isFetchingNextPage} onClick={() => void pages.fetchNextPage()}>
            Show more
          </Button>
        </p>
      )}
    </div>
  );
}

function Row({ record, withOutcome, withCause }: { record: JournalRecord; withOutcome?: boolean; withCause: boolean }) {
  return (
    <tr className="hover:bg-paper">
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
          <Change old={c.old} now={c.new} kind={c.kind} />
        </td>
      ))}
      {withCause && <td className={`${cell} whitespace-normal`}>{record.cause}</td>}
    </tr>
  );
}

const head = 'h-8 border-b border-line px-3 text-left font-medium whitespace-nowrap first:pl-4';
const cell = 'h-8 max-w-80 truncate border-b border-line px-3 whitespace-nowrap first:pl-4';
