import type { PreviewView } from '@tantamos/contract';
import { TriangleAlert, Zap } from 'lucide-react';
import { Change } from '../components/Change';
import { counted, number } from '../components/format';
import { Notes } from '../components/Notes';

/** Beside the records: what to know before it runs, and how many values turn into what. */
export function PreviewSide({ preview: p, onFilter }: { preview: PreviewView; onFilter?: (filter: string) => void }) {
  const fields = [...new Set(p.pairs.map((pair) => pair.field))];
  return (
    <aside
      aria-label="Before you run"
      className="min-w-80 flex-1 space-y-5 overflow-auto border-l border-line p-4 max-lg:min-w-0 max-lg:flex-none max-lg:border-b max-lg:border-l-0"
    >
      {p.causes.length + p.triggers.length + p.notes.length > 0 && (
        <section className="space-y-2">
          <h2 className={heading}>Before you run</h2>
          <Notes notes={p.notes} onFilter={onFilter} />
          {p.causes.map((c) => (
            <p key={c.cause} className={note}>
              <TriangleAlert className="mt-0.5 size-4 shrink-0 text-pending" aria-hidden="true" />
              <span>
                <b className="font-medium">{counted(c.count, 'record is', 'records are')} not allowed</b> and will be
                left alone: {c.cause}
              </span>
            </p>
          ))}
          {p.triggers.map((t) => (
            <p key={t.name} className={note}>
              <Zap className="mt-0.5 size-4 shrink-0 text-pending" aria-hidden="true" />
              <span>
                The database’s own trigger <code className="font-mono text-xs">{t.name}</code> will fire
                {t.comment ? `: ${t.comment}` : '.'} What it does elsewhere is not undone.
              </span>
            </p>
          ))}
        </section>
      )}
      <section className="space-y-3">
        <h2 className={heading}>From → to</h2>
        {fields.length === 0 && <p className="text-quiet">No value changes.</p>}
        {fields.map((field) => (
          <table key={field} className="w-full">
            <caption className="pb-1 text-left font-medium">
              {p.pairs.find((pair) => pair.field === field)!.label}
            </caption>
            <tbody>
              {p.pairs
                .filter((pair) => pair.field === field)
                .slice(0, 30)
                .map((pair, i) => (
                  <tr key={i} className="border-t border-line align-top">
                    <td className="py-1 pr-3 break-words">
                      <Change old={pair.old} now={pair.new} kind={pair.kind} />
                    </td>
                    <td className="py-1 text-right">{number(pair.count)}</td>
                  </tr>
                ))}
            </tbody>
          </table>
        ))}
        {p.morePairs.length > 0 && <p className="text-quiet">There are more different values than are listed.</p>}
      </section>
      <section className="space-y-1 text-quiet">
        <h2 className={heading}>How it will run</h2>
        <p>
          {counted(p.batches, 'batch', 'batches')} of up to {number(p.batchSize)} records, each one transaction. You can
          pause, stop and undo.
        </p>
      </section>
    </aside>
  );
}

const heading = 'text-xs font-semibold tracking-wide text-quiet uppercase';
const note = 'flex gap-2 rounded border border-line bg-pending-soft px-2.5 py-2';
