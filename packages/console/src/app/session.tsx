import type { Me } from '@tantamos/contract';
import { AnswerError } from '@tantamos/client';
import { useQuery } from '@tanstack/react-query';
import { createContext, useContext, useEffect, useState, type ReactNode } from 'react';
import { Trouble, Working } from '../components/states';
import { SignIn } from '../sign-in/SignIn';
import { api, queryClient, whenSignedOut } from './api';

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
  const me = useQuery({ queryKey: ['me'], queryFn: api.me, staleTime: Infinity });
  useEffect(() => whenSignedOut(() => setLapsed(true)), []);
  const entered = (): void => {
    setLapsed(false);
    void queryClient.invalidateQueries();
  };
  if (me.isPending) return <Working what="Opening" />;
  const nobody = me.error instanceof AnswerError && me.error.code === 'not_signed_in';
  if (nobody) return <SignIn onEntered={entered} />;
  if (!me.data) return <Trouble error={me.error} />;
  return (
    <Person value={me.data}>
      <div className="h-full" inert={lapsed}>
        {children}
      </div>
      {lapsed && <SignIn onEntered={entered} again={me.data.login} />}
    </Person>
  );
}
