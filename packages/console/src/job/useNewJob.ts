import { useNavigate } from 'react-router';
import { everything, type Draft } from './draft';
import { useDraft } from './DraftKeeper';

/** Begins a job of its own, so that an unfinished one stays as it is, and goes to its records. */
export function useNewJob() {
  const navigate = useNavigate();
  const { open, change } = useDraft();
  return async (start: Partial<Draft> & { type: string }): Promise<void> => {
    await open(null);
    change({ ...everything, ...start, filterMode: 'text', filterOpen: true });
    await navigate(`/records/${encodeURIComponent(start.type)}`);
  };
}
