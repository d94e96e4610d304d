import type { Me } from '@tantamos/contract';
import { AnswerError } from '@tantamos/client';
import { useQuery } from '@tanstack/react-query';
import { createContext, lazy, Suspense, useContext, useEffect, useState, type ReactNode } from 'react';
import { readAs } from '../components/format';
import { Trouble, Working } from '../components/states';
import { queries } from '../queries';
import { queryClient, whenSignedOut } from './api';

// Who is signed in already has no need of it.
const SignIn = lazy(async () => ({ default: (await import('../sign-in/SignIn')).SignIn }));

const Person = createContext<Me | null>(null);

/** Who is signed in. */
export function usePerson(): Me {
  return useContext(Person)!;
}

/**
 * Shows the sign-in page while nobody is signed in. When a session ends in the middle of work, the sign-in page comes
 * on top and the work stays as it is beneath.
 */
export function Session({ children }: { children: ReactNode }) {
  const [lapsed, setLapsed] = useState(false);
  const me = useQuery(queries.me());
  useEffect(() => whenSignedOut(() => setLapsed(true)), []);
  const entered = (login: string): void => {
    // Somebody else's work is not theirs.
    if (me.data && login !== me.data.login) return location.assign('/');
    setLapsed(false);
    void queryClient.invalidateQueries();
  };
  if (me.isPending) return <Working what="Opening" />;
  const nobody = me.error instanceof AnswerError && me.error.code === 'not_signed_in';
  if (nobody)
    return (
      <Suspense fallback={<Working what="Opening" />}>
        <SignIn onEntered={entered} />
      </Suspense>
    );
  if (!me.data) return <Trouble error={me.error} />;
  readAs({ locale: me.data.locale, timeZone: me.data.workspace.timeZone });
  return (
    <Person value={me.data}>
      <div className="h-full" inert={lapsed}>
        {children}
      </div>
      {lapsed && (
        <Suspense fallback={null}>
          <SignIn onEntered={entered} again={me.data.login} />
        </Suspense>
      )}
    </Person>
  );
}
