import { QueryClientProvider } from '@tanstack/react-query';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { PreviewPage } from '../preview/PreviewPage';
import { RecordPage } from '../record/RecordPage';
import { PrintPage } from '../records/PrintPage';
import { RecordsPage } from '../records/RecordsPage';
import { RunPage } from '../runs/RunPage';
import { RunsPage } from '../runs/RunsPage';
import { DraftKeeper } from '../job/draft';
import { queryClient } from './api';
import { Session } from './session';
import { Shell } from './Shell';
import { NotFound } from '../components/states';

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
      { index: true, element: <Navigate to="/records" replace /> },
      { path: 'records', element: <RecordsPage /> },
      { path: 'records/:type', element: <RecordsPage /> },
      { path: 'records/:type/print', element: <PrintPage /> },
      { path: 'records/:type/:key', element: <RecordPage /> },
      { path: 'previews/:id', element: <PreviewPage /> },
      { path: 'runs', element: <RunsPage /> },
      { path: 'runs/:id', element: <RunPage /> },
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
