import { NavLink, Outlet } from 'react-router';
import { usePerson } from '../app/session';
import { Empty } from '../components/states';

const pages = [
  { to: '/settings/accounts', label: 'Accounts' },
  { to: '/settings/rights', label: 'Rights' },
  { to: '/settings/types', label: 'Types and fields' },
  { to: '/rules', label: 'Rules' },
  { to: '/settings/workspace', label: 'Workspace' },
  { to: '/settings/history', label: 'History' },
];

/** What administrators set, a page a subject. */
export function Settings() {
  const { may } = usePerson();
  if (!may.includes('administer'))
    return <Empty title="Settings are for administrators.">Your own account is under your name, above right.</Empty>;
  return (
    <div className="flex h-full">
      <nav aria-label="Settings" className="w-44 shrink-0 space-y-1 border-r border-line bg-sheet p-3">
        {pages.map((p) => (
          <NavLink
            key={p.to}
            to={p.to}
            className={({ isActive }) =>
              `flex h-8 items-center rounded px-2 ${isActive ? 'bg-accent-soft font-medium' : 'text-quiet hover:text-ink'}`
            }
          >
            {p.label}
          </NavLink>
        ))}
      </nav>
      <main className="min-w-0 flex-1 space-y-5 overflow-auto p-4">
        <Outlet />
      </main>
    </div>
  );
}
