import type { FieldFigures, JournalPick, PreviewView } from '@tantamos/contract';
import { pairsShown, type Mend } from '@tantamos/core';
import { TriangleAlert, Zap } from 'lucide-react';
import { LinkButton } from '../components/Button';
import { Change } from '../components/Change';
import { counted, number } from '../components/format';
import { Notes, type LookAt } from '../components/Notes';
import { FiguresLine, Loads } from './Figures';
import { Parts } from './Parts';
import { pickWords } from './Picked';

/** Beside the records: what to know before it runs, and how many values turn into what. */
export function PreviewSide({
  preview: p,
  onMend,
  onPick,
  onLook,
  onCause,
}: {
  preview: PreviewView;
  onMend?: (mend: Mend) => void;
  onPick: (pick: JournalPick, field: string) => void;
  onLook: (at: LookAt) => void;
  onCause: (cause: string) => void;
}) {
  const fields = p.pairs.filter(
    (pair, i) => p.pairs.findIndex((q) => q.part === pair.part && q.field === pair.field) === i,
  );
  const several = p.parts.length > 1;
  return (
    <aside
      aria-label="Before you run"
      className="min-w-80 flex-1 space-y-5 overflow-auto border-l border-line p-4 max-lg:min-w-0 max-lg:flex-none max-lg:border-b max-lg:border-l-0"
    >
      <Parts parts={p.parts} />
      {p.causes.length + p.triggers.length + p.notes.length > 0 && (
        <section className="space-y-2">
          <h2 className={heading}>Before you run</h2>
          <Notes notes={p.notes} onMend={onMend} onLook={onLook} />
          {p.causes.map((c) => (
            <p key={c.cause} className={note}>
              <TriangleAlert className="mt-0.5 size-4 shrink-0 text-pending" aria-hidden="true" />
              <span>
                <b className="font-medium">
                  {counted(c.count, 'record', 'records')} will{' '}
                  {p.kind === 'undo' ? 'not be undone' : 'be left alone (not allowed)'}
                </b>
                : {c.cause}{' '}
                <LinkButton onClick={() => onCause(c.cause)}>Look at {c.count === 1 ? 'it' : 'them'}</LinkButton>
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
      {p.loads.length > 0 && (
        <section className="space-y-3">
          <h2 className={heading}>Owners</h2>
          {p.loadsInAll && <Loads loads={p.loadsInAll} of="all these" />}
          {p.loads.map((loads) => (
            <Loads
              key={`${loads.part} ${loads.field}`}
              loads={loads}
              of={several ? p.parts[loads.part]!.label : undefined}
            />
          ))}
        </section>
      )}
      <section className="space-y-3">
        <h2 className={heading}>From → to</h2>
        {fields.length === 0 && (
          <p className="text-quiet">
            {p.totals.will_change === 0
              ? 'No value changes.'
              : 'Whole records go; what they held is kept for the way back.'}
          </p>
        )}
        {fields.map(({ part, field }) => (
          <FieldPairs
            key={`${part} ${field}`}
            preview={p}
            part={part}
            field={field}
            onPick={(pick) => onPick(pick, field)}
          />
        ))}
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

/** A field’s values: what they come to, and how many turn into what; of values that are nearly all different, a few. */
function FieldPairs({
  preview: p,
  part,
  field,
  onPick,
}: {
  preview: PreviewView;
  part: number;
  field: string;
  onPick: (pick: JournalPick) => void;
}) {
  const pairs = p.pairs.filter((pair) => pair.part === part && pair.field === field);
  const figures = p.figures.find((f) => f.part === part && f.field === field);
  const of = p.parts.length > 1 ? ` of ${p.parts[part]!.label.toLowerCase()}` : '';
  const { shown, isMore } = pairsShown(pairs, p.morePairs.includes(field), mostPairs);
  return (
    <div>
      <h3 className="pb-0.5 font-medium">
        {pairs[0]!.label}
        {of}
      </h3>
      {figures && <FiguresLine figures={figures} />}
      <table className="w-full" aria-label={`${pairs[0]!.label}${of}: from and to`}>
        <tbody>
          {shown.map((pair, i) => (
            <tr key={i} className="border-t border-line align-top">
              <td className="py-1 pr-3 break-words">
                <Change old={pair.old} now={pair.new} kind={pair.kind} />
              </td>
              <td className="py-1 text-right">{number(pair.count)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {isMore && <p className="pt-1 text-xs text-quiet">and more different values</p>}
      <p className="flex flex-wrap gap-x-3 pt-1 text-xs">
        {(part === 0 ? picksOf(figures, pairs.length) : []).map((pick) => (
          <LinkButton key={pick} onClick={() => onPick(pick)}>
            {pickWords[pick]}
          </LinkButton>
        ))}
      </p>
    </div>
  );
}

const mostPairs = 30;

/** What there is to look at first in a field. */
function picksOf(figures: FieldFigures | undefined, different: number): readonly JournalPick[] {
  const isText = figures?.longest != null;
  const hasSize = figures !== undefined && (figures.after.low ?? figures.before.low) !== null;
  return [
    ...(different > 1 ? (['spread'] as const) : []),
    ...(hasSize ? (['largest'] as const) : []),
    ...(isText && different > 1 ? (['longest'] as const) : []),
    ...(figures && figures.emptied > 0 ? (['emptied'] as const) : []),
  ];
}

const heading = 'text-xs font-semibold tracking-wide text-quiet uppercase';
const note = 'flex gap-2 rounded border border-line bg-pending-soft px-2.5 py-2';
