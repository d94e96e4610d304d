import { isOver } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { ChevronRight } from 'lucide-react';
import { useMatch } from 'react-router';
import { useDraft } from '../job/DraftKeeper';
import { queries } from '../queries';

const steps = ['Find', 'Change', 'Preview', 'Run', 'Result'] as const;

/** Where the work stands: five steps in one direction, always in sight. Nothing has happened until Run. */
export function Steps() {
  const at = useStep();
  return (
    <ol aria-label="Steps" className="mx-auto hidden items-center gap-1.5 lg:flex">
      {steps.map((step, i) => (
        <li
          key={step}
          aria-current={step === at ? 'step' : undefined}
          className={`flex items-center gap-1.5 ${step === at ? 'font-medium text-ink' : 'text-quiet'}`}
        >
          {i > 0 && <ChevronRight className="size-3.5 text-quiet" aria-hidden="true" />}
          <span className={step === at ? 'border-b-2 border-accent' : ''}>{step}</span>
        </li>
      ))}
    </ol>
  );
}

function useStep(): (typeof steps)[number] | null {
  const preview = useMatch('/previews/:id');
  const run = useMatch('/runs/:id');
  const records = useMatch('/records/:type');
  const id = run?.params.id;
  // Only listens to what the page itself reads.
  const state = useQuery({ ...queries.run(id ?? ''), enabled: false }).data?.state;
  const { draft } = useDraft();
  if (preview) return 'Preview';
  if (run) return state && isOver(state) ? 'Result' : 'Run';
  if (records) return draft.panel ? 'Change' : 'Find';
  return null;
}
