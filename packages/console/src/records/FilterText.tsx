import type { Problem } from '@tantamos/core';
import { useId, useRef, useState, type KeyboardEvent } from 'react';
import { Button } from '../components/Button';
import { ProblemList, problemsOf } from '../components/Problems';

interface Props {
  /** What is applied now. */
  filter: string;
  onApply: (filter: string) => void;
  error: unknown;
  example: string;
}

/** The filter as text. Enter applies it; a mistake is shown under the text, with the place and what would be right. */
export function FilterText({ filter, onApply, error, example }: Props) {
  const [text, setText] = useState(filter);
  const box = useRef<HTMLTextAreaElement>(null);
  const id = useId();
  // A filter applied elsewhere (a chip removed) shows here too.
  const [applied, setApplied] = useState(filter);
  if (applied !== filter) {
    setApplied(filter);
    setText(filter);
  }
  const problems =
    error && text === filter ? problemsOf(error).filter((p) => p.where === undefined || p.where === 'filter') : [];
  const span = problems[0]?.span;
  const onKey = (event: KeyboardEvent): void => {
    if (event.key !== 'Enter' || event.shiftKey) return;
    event.preventDefault();
    onApply(text);
  };
  const take = ({ span: at }: Problem, suggestion: string): void => {
    if (!at) return;
    const next = text.slice(0, at.start) + suggestion + text.slice(at.end);
    setText(next);
    onApply(next);
    box.current?.focus();
  };
  return (
    <div className="space-y-1.5">
      <div className="flex items-start gap-2">
        <label htmlFor={id} className="pt-1.5 text-quiet">
          Filter
        </label>
        <textarea
          id={id}
          ref={box}
          rows={Math.min(6, text.split('\n').length)}
          spellCheck={false}
          aria-invalid={problems.length > 0}
          aria-describedby={problems.length > 0 ? `${id}-problem` : undefined}
          className="min-h-8 min-w-0 flex-1 resize-none rounded border border-line-strong bg-sheet px-2 py-1.25 font-mono text-[13px] aria-invalid:border-trouble"
          placeholder={example}
          value={text}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={onKey}
        />
        <Button onClick={() => onApply(text)} disabled={text === filter}>
          Apply
        </Button>
      </div>
      {problems.length > 0 && (
        <div id={`${id}-problem`} className="space-y-1 pl-12">
          {span && (
            <p className="overflow-hidden font-mono text-[13px] whitespace-pre text-quiet">
              {text.slice(Math.max(0, span.start - 60), span.start)}
              <mark className="bg-trouble-soft text-trouble underline decoration-wavy underline-offset-4">
                {text.slice(span.start, span.end) || ' '}
              </mark>
              {text.slice(span.end, span.end + 60)}
            </p>
          )}
          <ProblemList problems={problems} onTake={take} />
        </div>
      )}
    </div>
  );
}
