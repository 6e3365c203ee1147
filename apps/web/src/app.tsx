import { MantineProvider } from '@mantine/core';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { createBrowserRouter, Navigate, RouterProvider, useLocation } from 'react-router';
import { ApiError } from './api/client.js';
import { Frame } from './frame/Frame.js';
import {
  CaseView,
  ChangesView,
  ContrastView,
  HealthView,
  LogsView,
  MapView,
  MetricsView,
  OnsetsView,
  PatternsView,
  RequestsView,
  RunsView,
  SourcesView,
} from './frame/lazy-views.js';
import { Message } from './states/States.js';
import { theme } from './theme/theme.js';

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      refetchOnWindowFocus: false,
      // Asking again helps when nobody answered, not when the question is wrong.
      retry: (failures, error) =>
        failures < 2 && error instanceof ApiError && (error.status === 0 || error.status === 429),
    },
  },
});

/** The start is Health, with whatever the address carries. */
function ToHealth() {
  const { search } = useLocation();
  return <Navigate to={`/health${search}`} replace />;
}

const router = createBrowserRouter([
  {
    path: '/',
    element: <Frame />,
    children: [
      { index: true, element: <ToHealth /> },
      { path: 'health', element: <HealthView /> },
      { path: 'requests', element: <RequestsView /> },
      { path: 'runs', element: <RunsView /> },
      { path: 'logs', element: <LogsView /> },
      { path: 'patterns', element: <PatternsView /> },
      { path: 'onsets', element: <OnsetsView /> },
      { path: 'metrics', element: <MetricsView /> },
      { path: 'changes', element: <ChangesView /> },
      { path: 'contrast', element: <ContrastView /> },
      { path: 'case', element: <CaseView /> },
      { path: 'map', element: <MapView /> },
      { path: 'sources', element: <SourcesView /> },
      {
        path: '*',
        element: (
          <Message title="There is no such view">
            <p>The rail at the left lists those there are.</p>
          </Message>
        ),
      },
    ],
  },
]);

export const App = () => (
  <MantineProvider theme={theme} defaultColorScheme="auto">
    <QueryClientProvider client={client}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </MantineProvider>
);
