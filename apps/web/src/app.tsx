import { MantineProvider } from '@mantine/core';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import type { ComponentType } from 'react';
import { BrowserRouter, Navigate, Route, Routes, useLocation } from 'react-router';
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

const VIEWS: Record<string, ComponentType> = {
  health: HealthView,
  requests: RequestsView,
  runs: RunsView,
  logs: LogsView,
  patterns: PatternsView,
  onsets: OnsetsView,
  metrics: MetricsView,
  changes: ChangesView,
  contrast: ContrastView,
  case: CaseView,
  map: MapView,
  sources: SourcesView,
};

const NoSuchView = () => (
  <Message title="There is no such view">
    <p>The rail at the left lists those there are.</p>
  </Message>
);

export const App = () => (
  <MantineProvider theme={theme} defaultColorScheme="auto">
    <QueryClientProvider client={client}>
      <BrowserRouter>
        <Routes>
          <Route path="/" element={<Frame />}>
            <Route index element={<ToHealth />} />
            {Object.entries(VIEWS).map(([path, View]) => (
              <Route key={path} path={path} element={<View />} />
            ))}
            <Route path="*" element={<NoSuchView />} />
          </Route>
        </Routes>
      </BrowserRouter>
    </QueryClientProvider>
  </MantineProvider>
);
