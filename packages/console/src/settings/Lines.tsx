import type { RightLineView, RoleView } from '@tantamos/contract';
import { TriangleAlert } from 'lucide-react';
import { LinkButton } from '../components/Button';

/** Lines of rights as sentences, numbered; denials are marked, since they always win. */
export function Lines({
  lines,
  roles = [],
  onDrop,
}: {
  lines: readonly RightLineView[];
  roles?: readonly RoleView[];
  onDrop?: (line: RightLineView) => void;
}) {
  const who = (l: RightLineView): string =>
    l.role === null ? (l.login ?? '') : (roles.find((r) => r.id === l.role)?.label ?? l.role);
  return (
    <ol className="border border-line bg-sheet">
      {lines.map((l, i) => (
        <li key={l.id} className="flex items-start gap-3 border-b border-line px-3 py-1.5 last:border-b-0">
          <span className="w-6 shrink-0 text-right text-quiet">{i + 1}</span>
          <span className="min-w-0 flex-1 break-words">
            <b className="font-medium">{who(l)}</b>{' '}
            <span className={l.effect === 'deny' ? 'text-trouble' : ''}>{l.words}</span>
            {l.trouble && (
              <span className="mt-0.5 flex gap-1.5 text-pending">
                <TriangleAlert className="mt-0.5 size-4 shrink-0" aria-hidden="true" />
                {l.effect === 'deny' ? 'It denies all it could mean' : 'It allows nothing'}: {l.trouble}
              </span>
            )}
          </span>
          {onDrop && (
            <LinkButton aria-label={`Take away: ${who(l)} ${l.words}`} onClick={() => onDrop(l)}>
              Take away
            </LinkButton>
          )}
        </li>
      ))}
    </ol>
  );
}
