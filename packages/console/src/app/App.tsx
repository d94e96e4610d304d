import type { ComponentType } from 'react';
import { QueryClientProvider } from '@tanstack/react-query';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { RecordsPage } from '../records/RecordsPage';
import { DraftKeeper } from '../job/DraftKeeper';
import { queryClient } from './api';
import { Session } from './session';
import { Shell } from './Shell';
import { NotFound } from '../components/states';

/** A page that is read when somebody goes there: the first one is there sooner. */
function page<N extends string>(read: () => Promise<{ readonly [K in N]: ComponentType }>, name: N) {
  return async () => ({ Component: (await read())[name] });
}

const router = createBrowserRouter([
  {
    element: (
      <Session>
        <DraftKeeper>
          <Shell />
        </DraftKeeper>
      </Session>
    ),
    children: [
      { index: true, element: <Navigate to="/start" replace /> },
      { path: 'start', lazy: page(() => import('../start/StartPage'), 'StartPage') },
      { path: 'records', element: <RecordsPage /> },
      { path: 'records/:type', element: <RecordsPage /> },
      { path: 'records/:type/print', lazy: page(() => import('../records/PrintPage'), 'PrintPage') },
      { path: 'records/:type/:key', lazy: page(() => import('../record/RecordPage'), 'RecordPage') },
      { path: 'previews/:id', lazy: page(() => import('../preview/PreviewPage'), 'PreviewPage') },
      { path: 'jobs', lazy: page(() => import('../jobs/JobsPage'), 'JobsPage') },
      { path: 'rules', lazy: page(() => import('../rules/RulesPage'), 'RulesPage') },
      { path: 'handover', lazy: page(() => import('../handover/HandoverPage'), 'HandoverPage') },
      { path: 'handover/:type/:person', lazy: page(() => import('../handover/HandoverPage'), 'HandoverPage') },
      { path: 'runs', lazy: page(() => import('../runs/RunsPage'), 'RunsPage') },
      { path: 'runs/:id', lazy: page(() => import('../runs/RunPage'), 'RunPage') },
      { path: 'account', lazy: page(() => import('../account/AccountPage'), 'AccountPage') },
      { path: 'account/rights', lazy: page(() => import('../account/OwnRightsPage'), 'OwnRightsPage') },
      {
        path: 'settings',
        lazy: page(() => import('../settings/Settings'), 'Settings'),
        children: [
          { index: true, element: <Navigate to="/settings/accounts" replace /> },
          { path: 'accounts', lazy: page(() => import('../settings/AccountsPage'), 'AccountsPage') },
          { path: 'types', lazy: page(() => import('../settings/TypesPage'), 'TypesPage') },
          { path: 'types/:type', lazy: page(() => import('../settings/TypePage'), 'TypePage') },
          { path: 'workspace', lazy: page(() => import('../settings/WorkspacePage'), 'WorkspacePage') },
          { path: 'history', lazy: page(() => import('../settings/HistoryPage'), 'HistoryPage') },
          { path: 'rights', lazy: page(() => import('../settings/RightsPage'), 'RightsPage') },
          { path: 'rights/:login', lazy: page(() => import('../settings/MayPage'), 'MayPage') },
        ],
      },
      { path: '*', element: <NotFound what="page" /> },
    ],
  },
]);

export function App() {
  return (
    <QueryClientProvider client={queryClient}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  );
}
