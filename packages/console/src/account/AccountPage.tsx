import { shortestPassword } from '@tantamos/core';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { Link } from 'react-router';
import { api, queryClient } from '../app/api';
import { usePerson } from '../app/session';
import { Button } from '../components/Button';
import { valueText } from '../components/format';
import { Labelled, Line, textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { queries } from '../queries';
import { SessionList } from './SessionList';

/** Who I am here, my password, and where I am signed in. */
export function AccountPage() {
  const me = usePerson();
  return (
    <main className="h-full overflow-auto p-4">
      <div className="max-w-xl space-y-6">
        <header>
          <h1 className="text-base font-semibold">{me.name}</h1>
          <p className="text-quiet">
            Login {me.login}, {me.roleLabel.toLowerCase()}
            {me.person && <>, stands for {me.person.name ?? `${me.person.type} ${me.person.key}`}</>}.{' '}
            <Link className="text-accent-strong underline underline-offset-2" to="/account/rights">
              What I may do
            </Link>
          </p>
        </header>
        <Reading />
        <Password />
        <SessionList query={queries.mySessions()} onEnd={(id) => api.endSession(id)} />
      </div>
    </main>
  );
}

/** Languages that are offered; what the browser says is any. */
const locales = ['en-GB', 'en-US', 'de-DE', 'de-CH', 'fr-FR', 'es-ES', 'it-IT', 'nl-NL', 'pl-PL', 'sv-SE', 'ja-JP'];

/** How numbers, dates and moments are shown, with an example of each. */
function Reading() {
  const me = usePerson();
  const change = useMutation({
    mutationFn: (locale: string | null) => api.changeMe({ locale }),
    onSuccess: () => queryClient.invalidateQueries(),
  });
  const offered = [...new Set([...locales, ...(me.locale ? [me.locale] : [])])];
  return (
    <section className="max-w-80 space-y-3" aria-labelledby="reading">
      <h2 id="reading" className="text-xs font-semibold tracking-wide text-quiet uppercase">
        Numbers and dates
      </h2>
      <Labelled
        label="As in"
        hint={`${valueText('-1234567.50', 'number')} · ${valueText('2026-11-05', 'date')} · ${valueText('2026-11-05 14:05:00+00', 'moment')}`}
      >
        {(id) => (
          <select
            id={id}
            className={textInput}
            value={me.locale ?? ''}
            onChange={(e) => change.mutate(e.target.value || null)}
          >
            <option value="">As the browser has it ({navigator.language})</option>
            {offered.map((l) => (
              <option key={l} value={l}>
                {new Intl.DisplayNames('en', { type: 'language' }).of(l)}
              </option>
            ))}
          </select>
        )}
      </Labelled>
      <Problems error={change.error} />
    </section>
  );
}

function Password() {
  const [current, setCurrent] = useState('');
  const [next, setNext] = useState('');
  const [again, setAgain] = useState('');
  const change = useMutation({
    mutationFn: () => api.changePassword({ current, next }),
    onSuccess: () => {
      setCurrent('');
      setNext('');
      setAgain('');
      return queryClient.invalidateQueries(queries.mySessions());
    },
  });
  const differ = again !== '' && again !== next;
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    if (again === next) change.mutate();
  };
  const input = (label: string, value: string, set: (v: string) => void, complete: string) => (
    <Line label={label} type="password" autoComplete={complete} value={value} onChange={set} required />
  );
  return (
    <form onSubmit={submit} className="max-w-80 space-y-3">
      <h2 className="text-xs font-semibold tracking-wide text-quiet uppercase">Password</h2>
      {input('The present one', current, setCurrent, 'current-password')}
      {input(`The new one, at least ${shortestPassword} characters`, next, setNext, 'new-password')}
      {input('The new one again', again, setAgain, 'new-password')}
      {differ && (
        <p role="alert" className="text-trouble">
          These two are not the same.
        </p>
      )}
      <Problems error={change.error} />
      <Button
        type="submit"
        busy={change.isPending}
        disabled={next.length < shortestPassword || again !== next || current === ''}
      >
        Change my password
      </Button>
      {change.isSuccess && (
        <p role="status" className="text-quiet">
          Changed. Your other sessions have ended.
        </p>
      )}
    </form>
  );
}
