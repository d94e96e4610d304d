import { useMutation, useQuery } from '@tanstack/react-query';
import { queryClient } from '../app/api';
import { LinkButton } from '../components/Button';
import { moment } from '../components/format';
import { Problems } from '../components/Problems';
import type { queries } from '../queries';

interface Props {
  query: ReturnType<typeof queries.mySessions> | ReturnType<typeof queries.accountSessions>;
  onEnd: (id: string) => Promise<unknown>;
}

/** Browsers that are signed in and tokens that are good, each of which can be ended. */
export function SessionList({ query, onEnd }: Props) {
  const sessions = useQuery(query as ReturnType<typeof queries.mySessions>);
  const end = useMutation({
    mutationFn: onEnd,
    onSettled: () => queryClient.invalidateQueries({ queryKey: query.queryKey }),
  });
  return (
    <section className="space-y-2">
      <h2 className="text-xs font-semibold tracking-wide text-quiet uppercase">Sessions and tokens</h2>
      <Problems error={sessions.error ?? end.error} />
      {sessions.data?.length === 0 && <p className="text-quiet">None.</p>}
      <ul className="border border-line bg-sheet empty:hidden">
        {sessions.data?.map((s) => (
          <li key={s.id} className="flex items-center gap-3 border-b border-line px-3 py-1.5 last:border-b-0">
            <span className="min-w-0 flex-1">
              <span className="block truncate">
                {s.kind === 'token' ? 'Token' : 'Browser'}
                {s.label && ` · ${s.label}`}
                {s.current && <b className="ml-2 font-medium">this one</b>}
              </span>
              <span className="block text-xs text-quiet">
                since {moment(s.createdAt)}, last used {moment(s.lastUsedAt)}
              </span>
            </span>
            {!s.current && (
              <LinkButton
                aria-label={`End ${s.kind === 'token' ? 'token' : 'browser'} ${s.label ?? ''} since ${moment(s.createdAt)}`}
                onClick={() => end.mutate(s.id)}
              >
                End
              </LinkButton>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
