import type { NoteView, PreviewView } from '@tantamos/contract';
import { alongWords, type Mend } from '@tantamos/core';
import { TriangleAlert } from 'lucide-react';
import { LinkButton } from './Button';
import { number } from './format';

const shown = 8;

export type LookAt = NonNullable<NoteView['look']>['at'];

interface Props {
  readonly notes: readonly NoteView[];
  readonly onMend?: (mend: Mend) => void;
  readonly onLook?: (at: LookAt) => void;
}

/** What a person should know of a preview or run, each with some of the records it is about. */
export function Notes({ notes, onMend, onLook }: Props) {
  return notes.map(({ code, message, count, examples, mend, look }) => (
    <div key={`${code} ${message}`} className="flex gap-2 rounded border border-line bg-pending-soft px-2.5 py-2">
      <TriangleAlert className="mt-0.5 size-4 shrink-0 text-pending" aria-hidden="true" />
      <div className="min-w-0 space-y-1">
        <p>
          {message}
          {mend && onMend && (
            <>
              {' '}
              <LinkButton onClick={() => onMend(mend)}>{mend.words}</LinkButton>
            </>
          )}
          {look && onLook && (
            <>
              {' '}
              <LinkButton onClick={() => onLook(look.at)}>{look.words}</LinkButton>
            </>
          )}
        </p>
        {examples.length > 0 && (
          <ul className="font-mono text-xs break-words">
            {examples.slice(0, shown).map((e) => (
              <li key={e}>{e}</li>
            ))}
            {count > shown && <li>… and {number(count - Math.min(shown, examples.length))} more</li>}
          </ul>
        )}
      </div>
    </div>
  ));
}

/** “Remarks: 40 created”: counted apart from the records. */
export function AlongLine({ along, isDone }: { along: PreviewView['along']; isDone: boolean }) {
  if (along.length === 0) return null;
  return <p className="text-quiet">Related records: {along.map((a) => alongWords(a, isDone, number)).join('; ')}.</p>;
}
