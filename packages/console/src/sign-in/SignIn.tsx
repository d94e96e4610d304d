import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api } from '../app/api';
import { Button } from '../components/Button';
import { Line } from '../components/inputs';
import { Mark } from '../components/Mark';
import { Problems } from '../components/Problems';

/** `again`: whose session has ended while there was work on the page. */
export function SignIn({ onEntered, again }: { onEntered: (login: string) => void; again?: string }) {
  const [login, setLogin] = useState(again ?? '');
  const [password, setPassword] = useState('');
  const enter = useMutation({
    mutationFn: () => api.signIn({ login, password }),
    onSuccess: (who) => onEntered(who.login),
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    enter.mutate();
  };
  return (
    <main className="fixed inset-0 z-50 grid place-items-center bg-paper p-6">
      <form onSubmit={submit} className="w-80 space-y-4 rounded-lg border border-line bg-sheet p-6">
        <div className="flex items-center gap-2">
          <Mark />
          <h1 className="text-base font-semibold">Tantamos</h1>
        </div>
        <p className="text-quiet">
          {again
            ? 'Your session has ended. Sign in again; your work is still here.'
            : 'Sign in to select, preview and change records.'}
        </p>
        <Line label="Login" value={login} onChange={setLogin} autoComplete="username" autoFocus={!again} required />
        <Line
          label="Password"
          type="password"
          value={password}
          onChange={setPassword}
          autoComplete="current-password"
          autoFocus={Boolean(again)}
          required
        />
        <Problems error={enter.error} />
        <Button main type="submit" busy={enter.isPending} className="w-full">
          Sign in
        </Button>
      </form>
    </main>
  );
}
