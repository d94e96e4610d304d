import type { AccountView, RoleView, WrongPasswordsView } from '@tantamos/contract';
import { shortestPassword } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useState, type FormEvent } from 'react';
import { Link } from 'react-router';
import { api, queryClient } from '../app/api';
import { usePerson } from '../app/session';
import { SessionList } from '../account/SessionList';
import { Button, LinkButton } from '../components/Button';
import { moment, number } from '../components/format';
import { Labelled, Line, NewPassword, textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import { queries } from '../queries';
import { PersonRecord } from './PersonRecord';

const again = (): Promise<void> => queryClient.invalidateQueries({ queryKey: queries.accounts().queryKey });

/** Who may sign in, as what, standing for whom, and when they last did. */
export function AccountsPage() {
  const accounts = useQuery(queries.accounts());
  const roles = useQuery(queries.roles());
  const [open, setOpen] = useState<string | null>(null);
  const [adding, setAdding] = useState(false);
  if (accounts.isPending || roles.isPending) return <Working what="Reading the accounts" />;
  if (!accounts.data || !roles.data) return <Trouble error={accounts.error ?? roles.error} />;
  const chosen = accounts.data.find((a) => a.id === open) ?? null;
  return (
    <>
      <div className="flex items-center justify-between gap-4">
        <h1 className="text-base font-semibold">Accounts</h1>
        <Button onClick={() => setAdding(true)}>
          <Plus className="size-4" aria-hidden="true" /> Add an account
        </Button>
      </div>
      <Table
        label="Accounts"
        heads={[
          { label: 'Name' },
          { label: 'Login' },
          { label: 'Role' },
          { label: 'Stands for' },
          { label: 'Last used' },
          { label: 'Sessions', right: true },
          { label: 'What to do', hidden: true },
        ]}
      >
        {accounts.data.map((a) => (
          <tr key={a.id} className={`hover:bg-paper ${a.active ? '' : 'text-quiet'}`}>
            <td className={`${tableCell} w-full max-w-0 truncate font-medium`}>
              {a.name}
              {!a.active && <span className="ml-2 font-normal">(not active)</span>}
            </td>
            <td className={tableCell}>{a.login}</td>
            <td className={tableCell}>{a.roleLabel}</td>
            <td className={`${tableCell} max-w-60 truncate`}>{a.person ? (a.person.name ?? a.person.key) : '—'}</td>
            <td className={tableCell}>{a.lastUsedAt ? moment(a.lastUsedAt) : 'never'}</td>
            <td className={`${tableCell} text-right`}>{number(a.sessions)}</td>
            <td className={`${tableCell} space-x-3 text-right`}>
              <Link
                className="text-accent-strong underline decoration-1 underline-offset-2"
                to={`/settings/rights/${encodeURIComponent(a.login)}`}
              >
                Rights<span className="sr-only"> of {a.name}</span>
              </Link>
              <LinkButton aria-label={`Change ${a.name}`} onClick={() => setOpen(a.id)}>
                Change
              </LinkButton>
            </td>
          </tr>
        ))}
      </Table>
      <Refused />
      <Sheet
        open={chosen !== null}
        onClose={() => setOpen(null)}
        side="right"
        width="w-110"
        title={chosen?.name ?? ''}
        about={chosen ? `Login ${chosen.login}` : undefined}
      >
        {chosen && <One key={chosen.id} account={chosen} roles={roles.data} />}
      </Sheet>
      <Sheet open={adding} onClose={() => setAdding(false)} side="right" width="w-110" title="Add an account">
        {adding && <Add roles={roles.data} onAdded={() => setAdding(false)} />}
      </Sheet>
    </>
  );
}

/** Logins and addresses with wrong passwords; nothing where there are none. */
function Refused() {
  const wrong = useQuery(queries.wrongPasswords());
  const lift = useMutation({
    mutationFn: (w: WrongPasswordsView) => api.liftWrongPasswords(w.kind, w.subject),
    onSettled: () => queryClient.invalidateQueries({ queryKey: queries.wrongPasswords().queryKey }),
  });
  if (!wrong.data || wrong.data.length === 0) return null;
  return (
    <section className="space-y-2" aria-labelledby="refused">
      <h2 id="refused" className="text-base font-semibold">
        Wrong passwords
      </h2>
      <Table
        label="Wrong passwords"
        heads={[
          { label: 'Login or address' },
          { label: 'Wrong passwords', right: true },
          { label: 'And so' },
          { label: 'What to do', hidden: true },
        ]}
      >
        {wrong.data.map((w) => (
          <tr key={`${w.kind} ${w.subject}`}>
            <td className={`${tableCell} w-full max-w-0 truncate`}>
              {w.kind === 'login' ? 'Login ' : 'Address '}
              <span className="font-medium">{w.subject}</span>
            </td>
            <td className={`${tableCell} text-right`}>{number(w.count)}</td>
            <td className={tableCell}>
              {w.refusedUntil ? `Refused until ${moment(w.refusedUntil)}` : `Forgotten at ${moment(w.until)}`}
            </td>
            <td className={`${tableCell} text-right`}>
              <LinkButton aria-label={`Let ${w.subject} in`} onClick={() => lift.mutate(w)}>
                {w.refusedUntil ? 'Let in' : 'Forget'}
              </LinkButton>
            </td>
          </tr>
        ))}
      </Table>
      <Problems error={lift.error} />
    </section>
  );
}

function One({ account: a, roles }: { account: AccountView; roles: readonly RoleView[] }) {
  const me = usePerson();
  const [name, setName] = useState(a.name);
  const [role, setRole] = useState(a.role);
  const [password, setPassword] = useState('');
  const change = useMutation({
    mutationFn: (body: Parameters<typeof api.changeAccount>[1]) => api.changeAccount(a.id, body),
    onSuccess: again,
  });
  const reset = useMutation({
    mutationFn: () => api.resetPassword(a.id, { password }),
    onSuccess: () => (setPassword(''), again()),
  });
  const save = (event: FormEvent): void => {
    event.preventDefault();
    change.mutate({ name, role });
  };
  return (
    <div className="min-h-0 flex-1 space-y-6 overflow-auto p-4">
      <form className="space-y-3" onSubmit={save}>
        <Line label="Name" value={name} onChange={setName} required />
        <RoleInput role={role} roles={roles} onRole={setRole} />
        <div className="flex items-center gap-3">
          <Button main type="submit" busy={change.isPending} disabled={name === a.name && role === a.role}>
            Save
          </Button>
          {a.id !== me.id && (
            <Button grave={a.active} onClick={() => change.mutate({ active: !a.active })}>
              {a.active ? 'Deactivate' : 'Activate again'}
            </Button>
          )}
        </div>
        <Problems error={change.error} />
      </form>
      <PersonRecord
        value={a.person}
        onChange={(person) => change.mutate({ person })}
        hint="me() in filters means this record, and “mine” what points at it."
      />
      <form
        className="space-y-3"
        onSubmit={(event) => {
          event.preventDefault();
          reset.mutate();
        }}
      >
        <NewPassword
          label="A new password"
          hint=". All sessions of the account end."
          value={password}
          onChange={setPassword}
        />
        <Button type="submit" busy={reset.isPending} disabled={password.length < shortestPassword}>
          Give it
        </Button>
        {reset.isSuccess && (
          <p role="status" className="text-quiet">
            It has a new password.
          </p>
        )}
        <Problems error={reset.error} />
      </form>
      <SessionList
        query={queries.accountSessions(a.id)}
        onEnd={(session) => api.endAccountSession(a.id, session).then(again)}
      />
    </div>
  );
}

function Add({ roles, onAdded }: { roles: readonly RoleView[]; onAdded: () => void }) {
  const [login, setLogin] = useState('');
  const [name, setName] = useState('');
  const [role, setRole] = useState('reader');
  const [password, setPassword] = useState('');
  const [person, setPerson] = useState<{ type: string; key: string; name: string | null } | null>(null);
  const add = useMutation({
    mutationFn: () =>
      api.addAccount({ login, name, role, password, person: person && { type: person.type, key: person.key } }),
    onSuccess: () => (onAdded(), again()),
  });
  return (
    <form
      className="min-h-0 flex-1 space-y-3 overflow-auto p-4"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <Line label="Login" value={login} onChange={setLogin} required autoFocus />
      <Line label="First and last name" value={name} onChange={setName} required />
      <RoleInput role={role} roles={roles} onRole={setRole} />
      <NewPassword label="Password" hint="; they can change it themselves." value={password} onChange={setPassword} />
      <PersonRecord value={person} onChange={setPerson} hint="What me() means to them; can be said later." />
      <Problems error={add.error} />
      <Button main type="submit" busy={add.isPending}>
        Add
      </Button>
    </form>
  );
}

function RoleInput({ role, roles, onRole }: { role: string; roles: readonly RoleView[]; onRole: (r: string) => void }) {
  return (
    <Labelled label="Role">
      {(id) => (
        <select id={id} className={textInput} value={role} onChange={(e) => onRole(e.target.value)}>
          {roles.map((r) => (
            <option key={r.id} value={r.id}>
              {r.label}
            </option>
          ))}
        </select>
      )}
    </Labelled>
  );
}
