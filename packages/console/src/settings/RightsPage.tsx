import { useMutation, useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useState, type FormEvent } from 'react';
import { Link } from 'react-router';
import { api, queryClient } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { number } from '../components/format';
import { Line } from '../components/inputs';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { Trouble, Working } from '../components/states';
import { queries } from '../queries';
import { LineForm } from './LineForm';
import { Lines } from './Lines';

/** Every line of rights, the roles they speak of, and what comes of them for each person. */
export function RightsPage() {
  const rights = useQuery(queries.rights());
  const roles = useQuery(queries.roles());
  const accounts = useQuery(queries.accounts());
  const [adding, setAdding] = useState(false);
  const drop = useMutation({ mutationFn: (id: string) => api.dropRight(id), onSettled: rightsChanged });
  if (rights.isPending || roles.isPending || accounts.isPending) return <Working what="Reading the rights" />;
  if (!rights.data || !roles.data || !accounts.data)
    return <Trouble error={rights.error ?? roles.error ?? accounts.error} />;
  return (
    <>
      <div className="flex items-center justify-between gap-4">
        <div>
          <h1 className="text-base font-semibold">Rights</h1>
          <p className="text-quiet">
            Nothing is allowed that no line allows, and a denial always wins. What a person may do is the lines of their
            role and their own.
          </p>
        </div>
        <Button onClick={() => setAdding(true)}>
          <Plus className="size-4" aria-hidden="true" /> Add a line
        </Button>
      </div>
      <Problems error={drop.error} />
      <Lines lines={rights.data} roles={roles.data} onDrop={(line) => drop.mutate(line.id)} />
      <section className="space-y-2">
        <h2 className="font-medium">What comes of it for</h2>
        <ul className="flex flex-wrap gap-x-5 gap-y-1">
          {accounts.data.map((a) => (
            <li key={a.id}>
              <Link
                className="text-accent-strong underline decoration-1 underline-offset-2"
                to={`/settings/rights/${encodeURIComponent(a.login)}`}
              >
                {a.name}
              </Link>{' '}
              <span className="text-quiet">{a.roleLabel.toLowerCase()}</span>
            </li>
          ))}
        </ul>
      </section>
      <Roles roles={roles.data} />
      <Sheet open={adding} onClose={() => setAdding(false)} side="right" width="w-120" title="Add a line">
        {adding && (
          <LineForm roles={roles.data} accounts={accounts.data} onDone={() => (setAdding(false), rightsChanged())} />
        )}
      </Sheet>
    </>
  );
}

function Roles({ roles }: { roles: Awaited<ReturnType<typeof api.roles>> }) {
  const [label, setLabel] = useState('');
  const id = label
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '');
  const add = useMutation({
    mutationFn: () => api.addRole({ id, label }),
    onSuccess: () => (setLabel(''), rightsChanged()),
  });
  const drop = useMutation({ mutationFn: (role: string) => api.dropRole(role), onSettled: rightsChanged });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    add.mutate();
  };
  return (
    <section className="max-w-xl space-y-2">
      <h2 className="font-medium">Roles</h2>
      <ul className="border border-line bg-sheet">
        {roles.map((r) => (
          <li key={r.id} className="flex items-center gap-3 border-b border-line px-3 py-1.5 last:border-b-0">
            <span className="min-w-0 flex-1 truncate">
              {r.label} <span className="text-quiet">{r.id}</span>
            </span>
            <span className="text-quiet">
              {number(r.accounts)} {r.accounts === 1 ? 'account' : 'accounts'}
            </span>
            {!r.builtIn && r.accounts === 0 && (
              <LinkButton aria-label={`Delete the role ${r.label}`} onClick={() => drop.mutate(r.id)}>
                Delete
              </LinkButton>
            )}
          </li>
        ))}
      </ul>
      <form className="flex items-end gap-2" onSubmit={submit}>
        <div className="w-64">
          <Line label="A role of your own" placeholder="Field staff" value={label} onChange={setLabel} />
        </div>
        <Button type="submit" busy={add.isPending} disabled={id === ''}>
          Add
        </Button>
      </form>
      <Problems error={add.error ?? drop.error} />
    </section>
  );
}

async function rightsChanged(): Promise<void> {
  await Promise.all(
    [queries.rights().queryKey, queries.roles().queryKey, ['may']].map((queryKey) =>
      queryClient.invalidateQueries({ queryKey }),
    ),
  );
}
