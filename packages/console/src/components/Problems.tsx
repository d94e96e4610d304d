import { AnswerError } from '@tantamos/client';
import type { Problem } from '@tantamos/core';
import { CircleAlert } from 'lucide-react';
import { LinkButton } from './Button';

/** The problems in an error, each with its suggestions; `onTake` makes suggestions clickable. */
export function Problems({
  error,
  onTake,
}: {
  error: unknown;
  onTake?: (problem: Problem, suggestion: string) => void;
}) {
  if (!error) return null;
  return <ProblemList problems={problemsOf(error)} onTake={onTake} />;
}

export function ProblemList({
  problems,
  onTake,
}: {
  problems: readonly Problem[];
  onTake?: (problem: Problem, suggestion: string) => void;
}) {
  if (problems.length === 0) return null;
  return (
    <div role="alert">
      <ul className="space-y-1 text-trouble">
        {problems.map((p, i) => (
          <li key={i} className="flex items-start gap-1.5">
            <CircleAlert className="mt-0.5 size-4 shrink-0" aria-hidden="true" />
            <span className="min-w-0 break-words">
              {p.message}
              {p.suggestions && p.suggestions.length > 0 && (
                <span className="text-ink">
                  {' '}
                  Did you mean{' '}
                  {p.suggestions.map((s, j) => (
                    <span key={s}>
                      {j > 0 && ', '}
                      {onTake ? (
                        <LinkButton onClick={() => onTake(p, s)}>{s}</LinkButton>
                      ) : (
                        <code className="font-mono">{s}</code>
                      )}
                    </span>
                  ))}
                  ?
                </span>
              )}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

export function problemsOf(error: unknown): readonly Problem[] {
  if (error instanceof AnswerError && error.details.problems.length > 0) return error.details.problems;
  return [{ code: 'unavailable', message: error instanceof Error ? error.message : 'Something went wrong.' }];
}
