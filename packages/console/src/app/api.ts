import { AnswerError, Client } from '@tantamos/client';
import { MutationCache, QueryCache, QueryClient } from '@tanstack/react-query';
import { answered, failed } from './connection';

/** The page's own service: the session travels in the cookie. */
export const api = new Client({ base: '' });

/** Called when the service says that nobody is signed in any more. */
let onSignedOut: () => void = () => {};
export function whenSignedOut(tell: () => void): void {
  onSignedOut = tell;
}

function noticed(error: unknown): void {
  failed(error);
  if (error instanceof AnswerError && error.code === 'not_signed_in') onSignedOut();
}

export const queryClient = new QueryClient({
  queryCache: new QueryCache({ onError: noticed, onSuccess: answered }),
  mutationCache: new MutationCache({ onError: noticed, onSuccess: answered }),
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      refetchOnWindowFocus: false,
      retry: (count, error) => count < 2 && error instanceof AnswerError && error.code === 'unavailable',
    },
  },
});
