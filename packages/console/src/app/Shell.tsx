import { useMutation } from '@tanstack/react-query';
import { Lock, LogOut, Moon, Sun } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { NavLink, Outlet } from 'react-router';
import { Button } from '../components/Button';
import { Mark } from '../components/Mark';
import { api, queryClient } from './api';
import { usePerson } from './session';
import { Steps } from './Steps';
import { useTheme } from './theme';

const pages = [
  { to: '/records', label: 'Records' },
  { to: '/runs', label: 'Runs' },
];

/** The bar above every page, and the page. */
export function Shell() {
  const person = usePerson();
  const [theme, setTheme] = useTheme();
  const leave = useMutation({
    mutationFn: api.signOut,
    onSettled: () => {
      queryClient.clear();
      location.assign('/');
    },
  });
  const other = theme === 'light' ? 'dark' : 'light';
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 print:hidden shrink-0 items-center gap-6 border-b border-line bg-sheet px-4">
        <span className="flex items-center gap-2 font-semibold">
          <Mark /> Tantamos
        </span>
        <nav aria-label="Pages" className="flex h-full">
          {pages.map((p) => (
            <NavLink
              key={p.to}
              to={p.to}
              className={({ isActive }) =>
                `flex items-center border-b-2 px-3 ${isActive ? 'border-accent font-medium text-ink' : 'border-transparent text-quiet hover:text-ink'}`
              }
            >
              {p.label}
            </NavLink>
          ))}
        </nav>
        <Steps />
        <span className="ml-auto text-quiet">{person.workspace.name}</span>
        <DropdownMenu.Root>
          <DropdownMenu.Trigger className="h-8 rounded px-2 hover:bg-sunken">{person.name}</DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content
              align="end"
              sideOffset={4}
              className="z-40 w-56 rounded border border-line-strong bg-sheet p-1 shadow-lg"
            >
              <DropdownMenu.Label className="px-2 py-1 text-quiet">
                {person.login}, {person.role}
              </DropdownMenu.Label>
              <DropdownMenu.Item className={item} onSelect={() => setTheme(other)}>
                {other === 'dark' ? (
                  <Moon className="size-4" aria-hidden="true" />
                ) : (
                  <Sun className="size-4" aria-hidden="true" />
                )}
                {other === 'dark' ? 'Dark theme' : 'Light theme'}
              </DropdownMenu.Item>
              <DropdownMenu.Item className={item} onSelect={() => leave.mutate()}>
                <LogOut className="size-4" aria-hidden="true" /> Sign out
              </DropdownMenu.Item>
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      </header>
      <ReadOnly />
      <div className="min-h-0 flex-1">
        <Outlet />
      </div>
    </div>
  );
}

/** Says above every page why nothing can be changed, and lets an administrator end it where a person can. */
function ReadOnly() {
  const { workspace, role } = usePerson();
  const settle = useMutation({ mutationFn: api.settle, onSuccess: () => queryClient.invalidateQueries() });
  if (workspace.readOnly === null) return null;
  return (
    <div
      role="status"
      className="flex shrink-0 flex-wrap items-center gap-2 border-b border-line bg-sunken px-4 py-1.5 print:hidden"
    >
      <Lock className="size-4 shrink-0 text-pending" aria-hidden="true" />
      <p className="min-w-0 flex-1">{workspace.readOnly} Finding, counting and exporting work.</p>
      {workspace.isCopy && role === 'administrator' && (
        <Button onClick={() => settle.mutate()} disabled={settle.isPending}>
          It is at home here now
        </Button>
      )}
    </div>
  );
}

const item = 'flex h-8 items-center gap-2 rounded px-2 outline-none data-highlighted:bg-accent-soft';
