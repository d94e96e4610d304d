import { ChevronsLeft } from 'lucide-react';
import { lazy, Suspense } from 'react';
import type { JobPanelProps } from './OpenPanel';

const OpenPanel = lazy(() => import('./OpenPanel'));

/** A rail until there is something to change; then the job being composed. */
export function JobPanel(props: JobPanelProps & { onUnfold: () => void }) {
  const { draft, onUnfold } = props;
  if (!draft.panel)
    return (
      <aside aria-label="Job" className="flex w-10 shrink-0 flex-col items-center border-l border-line bg-sheet py-2.5">
        <button
          type="button"
          aria-label="Change these records"
          title="Change these records"
          onClick={onUnfold}
          className="grid size-8 place-items-center rounded hover:bg-accent-soft"
        >
          <ChevronsLeft className="size-4 text-accent" aria-hidden="true" />
        </button>
        <span className="mt-3 font-medium text-accent [writing-mode:vertical-rl]">Change…</span>
      </aside>
    );
  return (
    <Suspense fallback={<aside aria-label="Job" className="w-95 shrink-0 border-l border-line bg-sheet" />}>
      <OpenPanel {...props} />
    </Suspense>
  );
}
