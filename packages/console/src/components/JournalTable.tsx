import { useInfiniteQuery } from '@tanstack/react-query';
import type { queries } from '../queries';
import { Button } from './Button';
import { RecordsTable, type RecordPicks } from './RecordsTable';
import { Trouble, Working } from './states';

interface Props {
  /** Which journal. */
  query: ReturnType<typeof queries.runRecords> | ReturnType<typeof queries.previewRecords>;
  /** Show each record's outcome, where the list holds several kinds. */
  withOutcome?: boolean;
  empty: string;
  picks?: RecordPicks;
}

/** Records of a journal, a page at a time. */
export function JournalTable({ query, withOutcome, empty, picks }: Props) {
  const pages = useInfiniteQuery(query as ReturnType<typeof queries.runRecords>);
  if (pages.isPending) return <Working what="Reading" />;
  if (pages.isError) return <Trouble error={pages.error} onRetry={() => void pages.refetch()} />;
  const records = pages.data.pages.flatMap((p) => p.records);
  if (records.length === 0) return <p className="p-4 text-quiet">{empty}</p>;
  return (
    <div className="overflow-auto">
      <RecordsTable records={records} withOutcome={withOutcome} picks={picks} />
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
