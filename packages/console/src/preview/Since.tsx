import type { PreviewDifferences } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { LinkButton } from '../components/Button';
import { number } from '../components/format';
import { RecordsTable } from '../components/RecordsTable';
import { Sheet } from '../components/Sheet';
import { queries } from '../queries';

type Kind = 'more' | 'fewer' | 'otherwise';
const words: Record<Kind, { readonly count: string; readonly title: string }> = {
  more: { count: 'more', title: 'Would change now, and would not have before' },
  fewer: { count: 'no longer', title: 'Would have changed before, and would not now' },
  otherwise: { count: 'otherwise', title: 'Would change otherwise: from what it was to be, to what it would be now' },
};

/** What differs from the preview before. */
export function Since({ preview, after }: { preview: string; after: string }) {
  const [open, setOpen] = useState<Kind | null>(null);
  const found = useQuery(queries.previewDifferences(preview, after));
  // One that is no longer there has nothing to be compared with.
  if (!found.data) return null;
  const d: PreviewDifferences = found.data;
  const kinds = (['more', 'fewer', 'otherwise'] as const).filter((kind) => d[kind].count > 0);
  return (
    <p className="text-quiet" data-testid="since">
      Since the preview before:{' '}
      {kinds.length === 0 ? 'nothing differs.' : d.same > 0 && `${number(d.same)} as they were`}
      {kinds.map((kind, i) => (
        <span key={kind}>
          {(i > 0 || d.same > 0) && ', '}
          <LinkButton onClick={() => setOpen(kind)}>
            {number(d[kind].count)} {words[kind].count}
          </LinkButton>
        </span>
      ))}
      {open && (
        <Sheet title={words[open].title} open onClose={() => setOpen(null)}>
          <div className="overflow-auto">
            <RecordsTable records={d[open].records} />
            {d[open].count > d[open].records.length && (
              <p className="px-4 py-2 text-quiet">and {number(d[open].count - d[open].records.length)} others</p>
            )}
          </div>
        </Sheet>
      )}
    </p>
  );
}
