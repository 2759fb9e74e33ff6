import './index.css';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { toast, Toaster } from 'sonner';
import { db } from './keeping/db';
import { keepForOffline } from './keeping/offline';
import { closeSong, unwritten } from './open-song';
import { saveRecorded } from './recording/recorder';
import { SongPage } from './shell/SongPage';
import { useTheme } from './shell/theme';
import { Shelf } from './shelf/Shelf';

db.onOutdated = () =>
  void toast.warning('A newer version of Essim is open in another tab. Reload this one to go on.', {
    id: 'version',
    duration: Infinity,
    action: { label: 'Reload', onClick: () => globalThis.location.reload() },
  });
db.onBlocked = () =>
  void toast.warning('Another tab holds an older version of Essim open. Close it to go on here.', {
    id: 'version',
    duration: Infinity,
  });

// a page that is left may be kept as it is, to go back to, and would keep its song from every other tab meanwhile
globalThis.addEventListener('pagehide', () => {
  saveRecorded();
  closeSong();
});
globalThis.addEventListener('pageshow', event => event.persisted && globalThis.location.reload());
globalThis.addEventListener('beforeunload', event => unwritten() && event.preventDefault());

keepForOffline();

const router = createBrowserRouter([
  { path: '/', element: <Shelf /> },
  { path: '/song/:songId', element: <Navigate to="tune" replace /> },
  { path: '/song/:songId/:desk', element: <SongPage /> },
  { path: '*', element: <Navigate to="/" replace /> },
]);

const queries = new QueryClient({
  defaultOptions: {
    queries: { refetchOnWindowFocus: false, networkMode: 'always' },
    mutations: { networkMode: 'always' },
  },
});

function App() {
  const theme = useTheme();
  return (
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
      <Toaster
        position="bottom-left"
        offset={{ bottom: 72, left: 8 }}
        theme={theme === 'night' ? 'dark' : 'light'}
        toastOptions={{
          style: {
            background: 'var(--card)',
            color: 'var(--ink)',
            border: '1px solid var(--rule)',
            font: 'inherit',
            width: 300,
          },
        }}
      />
    </QueryClientProvider>
  );
}

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <App />
  </StrictMode>,
);
