import { WifiOff } from 'lucide-react';
import { useEffect } from 'react';
import { Button } from '../components/Button';
import { moment } from '../components/format';
import { api, queryClient } from './api';
import { askAgain, useConnection, watchConnection } from './connection';

/** Above every page, as long as the service does not answer: since when, and that the page asks again by itself. */
export function ConnectionBanner() {
  const { isLost, answeredAt } = useConnection();
  useEffect(
    () =>
      watchConnection(
        () => api.health(),
        // What failed meanwhile is read again, and what was read before may be old.
        () => void queryClient.invalidateQueries(),
      ),
    [],
  );
  if (!isLost) return null;
  return (
    <div
      role="alert"
      className="flex shrink-0 flex-wrap items-center gap-2 border-b border-line bg-pending-soft px-4 py-1.5 print:hidden"
    >
      <WifiOff className="size-4 shrink-0 text-pending" aria-hidden="true" />
      <p className="min-w-0 flex-1">
        <b className="font-medium">The service does not answer.</b> The last answer came at{' '}
        {moment(new Date(answeredAt).toISOString(), { seconds: true })}; what you see is from then. The page tries again
        by itself.
      </p>
      <Button onClick={askAgain}>Try now</Button>
    </div>
  );
}
