import { useMutation } from '@tanstack/react-query';
import { CircleUser, Keyboard, Lock, LogOut, Menu as MenuIcon, Moon, Search, Sun, TriangleAlert } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { lazy, Suspense } from 'react';
import { Link, NavLink, Outlet, useLocation, useNavigate } from 'react-router';
import { Button } from '../components/Button';
import { Mark } from '../components/Mark';
import { useDraft } from '../job/DraftKeeper';
import { api, queryClient } from './api';
import { ConnectionBanner } from './ConnectionBanner';
import { usePerson } from './session';
import { Steps } from './Steps';
import { useHotkeys } from './useHotkeys';
import { useTheme } from './theme';

// Read when they are first asked for.
const Commands = lazy(() => import('./Commands'));
const Keys = lazy(() => import('./Keys'));

const pages = [
  { to: '/start', label: 'Start' },
  { to: '/records', label: 'Records' },
  { to: '/jobs', label: 'Jobs' },
  { to: '/runs', label: 'Runs' },
];
const forAdministrators = [{ to: '/settings', label: 'Settings' }];

/** The bar above every page, and the page. */
export function Shell() {
  const person = usePerson();
  const navigate = useNavigate();
  const [theme, setTheme] = useTheme();
  const [over, setOver] = useHotkeys();
  const leave = useMutation({
    mutationFn: () => api.signOut(),
    onSettled: () => {
      queryClient.clear();
      location.assign('/');
    },
  });
  const other = theme === 'light' ? 'dark' : 'light';
  const all = [...pages, ...(person.may.includes('administer') ? forAdministrators : [])];
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 print:hidden shrink-0 items-center gap-3 border-b lg:gap-6 border-line bg-sheet px-4">
        <span className="flex items-center gap-2 font-semibold">
          <Mark /> Tantamos
        </span>
        <nav aria-label="Pages" className="hidden h-full md:flex">
          {all.map((p) => (
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
        <PagesMenu pages={all} />
        <Steps />
        <span className="ml-auto hidden min-w-0 truncate text-quiet lg:inline">{person.workspace.name}</span>
        <DropdownMenu.Root>
          <DropdownMenu.Trigger className="ml-auto h-8 max-w-44 min-w-8 truncate rounded px-2 hover:bg-sunken lg:ml-0">
            {person.name}
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content
              align="end"
              sideOffset={4}
              className="z-40 w-56 rounded border border-line-strong bg-sheet p-1 shadow-lg"
            >
              <DropdownMenu.Label className="px-2 py-1 text-quiet">
                {person.login}, {person.roleLabel.toLowerCase()}
              </DropdownMenu.Label>
              <DropdownMenu.Item className={item} onSelect={() => void navigate('/account')}>
                <CircleUser className="size-4" aria-hidden="true" /> My account
              </DropdownMenu.Item>
              <DropdownMenu.Item className={item} onSelect={() => setOver('commands')}>
                <Search className="size-4" aria-hidden="true" /> Go to, or do…
                <span className="ml-auto text-quiet">Ctrl K</span>
              </DropdownMenu.Item>
              <DropdownMenu.Item className={item} onSelect={() => setOver('keys')}>
                <Keyboard className="size-4" aria-hidden="true" /> Keys
                <span className="ml-auto text-quiet">?</span>
              </DropdownMenu.Item>
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
      <Suspense fallback={null}>
        {over === 'commands' && <Commands onClose={() => setOver(null)} />}
        {over === 'keys' && <Keys onClose={() => setOver(null)} />}
      </Suspense>
      <ConnectionBanner />
      <ReadOnly />
      <Warnings />
      <DraftNotice />
      <div className="min-h-0 flex-1">
        <Outlet />
      </div>
    </div>
  );
}

/** The pages, where there is no room for them side by side. */
function PagesMenu({ pages: all }: { pages: readonly { to: string; label: string }[] }) {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const here = all.find((p) => pathname.startsWith(p.to));
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="inline-flex h-8 items-center gap-1.5 rounded border border-line-strong px-2 hover:bg-sunken md:hidden">
        <span className="sr-only">Pages: </span>
        <MenuIcon className="size-4" aria-hidden="true" /> {here?.label ?? 'Pages'}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          className="z-40 w-48 rounded border border-line-strong bg-sheet p-1 shadow-lg"
        >
          {all.map((p) => (
            <DropdownMenu.Item key={p.to} className={item} onSelect={() => void navigate(p.to)}>
              {p.label}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** What became of the unfinished job behind the person's back. */
function DraftNotice() {
  const { notice, dismiss } = useDraft();
  if (notice === null) return null;
  return (
    <div
      role="status"
      className="flex shrink-0 items-center gap-3 border-b border-line bg-pending-soft px-4 py-1.5 print:hidden"
    >
      <p className="min-w-0 flex-1">{notice}</p>
      <Link to="/jobs" className="text-accent-strong underline underline-offset-2">
        Unfinished jobs
      </Link>
      <Button onClick={dismiss}>Good</Button>
    </div>
  );
}

/** Says above every page why nothing can be changed, and lets an administrator end it where a person can. */
function ReadOnly() {
  const { workspace, may } = usePerson();
  const settle = useMutation({ mutationFn: () => api.settle(), onSuccess: () => queryClient.invalidateQueries() });
  if (workspace.readOnly === null) return null;
  return (
    <div
      role="status"
      className="flex shrink-0 flex-wrap items-center gap-2 border-b border-line bg-sunken px-4 py-1.5 print:hidden"
    >
      <Lock className="size-4 shrink-0 text-pending" aria-hidden="true" />
      <p className="min-w-0 flex-1">{workspace.readOnly} Finding, counting and exporting work.</p>
      {workspace.isCopy && may.includes('administer') && (
        <Button onClick={() => settle.mutate()} disabled={settle.isPending}>
          It is at home here now
        </Button>
      )}
    </div>
  );
}

/** Limits that are nearly reached, above every page. */
function Warnings() {
  const { workspace } = usePerson();
  if (workspace.warnings.length === 0) return null;
  return (
    <div
      role="status"
      className="flex shrink-0 items-center gap-2 border-b border-line bg-sunken px-4 py-1.5 print:hidden"
    >
      <TriangleAlert className="size-4 shrink-0 text-pending" aria-hidden="true" />
      <p className="min-w-0 flex-1">{workspace.warnings.join(' ')}</p>
    </div>
  );
}

const item = 'flex h-8 items-center gap-2 rounded px-2 outline-none data-highlighted:bg-accent-soft';
