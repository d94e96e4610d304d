import { AnswerError } from '@tantamos/client';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { Button } from './Button';
import { Problems } from './Problems';

/** Nothing here, said in a sentence, with what to do about it. */
export function Empty({ title, wide, children }: { title: string; wide?: boolean; children?: ReactNode }) {
  return (
    <div className="grid h-full place-items-center p-8">
      <div className={`space-y-2 text-center ${wide ? 'w-full max-w-3xl' : 'max-w-md'}`}>
        <p className="text-base font-medium">{title}</p>
        {children && <div className="text-quiet">{children}</div>}
      </div>
    </div>
  );
}

export function Working({ what }: { what: string }) {
  return (
    <p className="p-6 text-quiet" role="status">
      {what} …
    </p>
  );
}

export function Trouble({ error, onRetry }: { error: unknown; onRetry?: () => void }) {
  if (error instanceof AnswerError && error.code === 'not_found') return <NotFound what="thing" />;
  return (
    <div className="max-w-xl space-y-3 p-6">
      <Problems error={error} />
      {onRetry && <Button onClick={onRetry}>Try again</Button>}
    </div>
  );
}

export function NotFound({ what }: { what: string }) {
  return (
    <Empty title={`There is no such ${what}.`}>
      <Link to="/records" className="text-accent underline underline-offset-2">
        Go to the records
      </Link>
    </Empty>
  );
}
