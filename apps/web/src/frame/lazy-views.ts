import { lazy } from 'react';

/** Views come in pieces of their own, so that the first page is there quickly. */
const loadLogs = () => import('../logs/LogsView.js');
const loadPatterns = () => import('../patterns/PatternsView.js');
const loadHealth = () => import('../health/HealthView.js');
const loadRequests = () => import('../requests/RequestsView.js');
const loadRuns = () => import('../runs/RunsView.js');
const loadOnsets = () => import('../onsets/OnsetsView.js');
const loadMetrics = () => import('../metrics/MetricsView.js');
const loadChanges = () => import('../changes/ChangesView.js');
const loadContrast = () => import('../contrast/ContrastView.js');
const loadCase = () => import('../cases/CaseView.js');
const loadMap = () => import('../map/MapView.js');
const loadSources = () => import('../sources/SourcesView.js');

export const LogsView = lazy(() => loadLogs().then(({ LogsView: view }) => ({ default: view })));
export const PatternsView = lazy(() => loadPatterns().then(({ PatternsView: view }) => ({ default: view })));
export const HealthView = lazy(() => loadHealth().then(({ HealthView: view }) => ({ default: view })));
export const RequestsView = lazy(() => loadRequests().then(({ RequestsView: view }) => ({ default: view })));
export const RunsView = lazy(() => loadRuns().then(({ RunsView: view }) => ({ default: view })));
export const OnsetsView = lazy(() => loadOnsets().then(({ OnsetsView: view }) => ({ default: view })));
export const MetricsView = lazy(() => loadMetrics().then(({ MetricsView: view }) => ({ default: view })));
export const ChangesView = lazy(() => loadChanges().then(({ ChangesView: view }) => ({ default: view })));
export const ContrastView = lazy(() => loadContrast().then(({ ContrastView: view }) => ({ default: view })));
export const CaseView = lazy(() => loadCase().then(({ CaseView: view }) => ({ default: view })));
export const MapView = lazy(() => loadMap().then(({ MapView: view }) => ({ default: view })));
export const SourcesView = lazy(() => loadSources().then(({ SourcesView: view }) => ({ default: view })));
export const GoAnywhere = lazy(() =>
  import('./GoAnywhere.js').then(({ GoAnywhere: dialog }) => ({ default: dialog })),
);

export const AskPanel = lazy(() =>
  import('../questions/AskPanel.js').then(({ AskPanel: panel }) => ({ default: panel })),
);

/** Fetches all views, so that going to one does not wait. */
export function fetchViews(): void {
  for (const load of [
    loadHealth,
    loadRequests,
    loadRuns,
    loadLogs,
    loadPatterns,
    loadOnsets,
    loadMetrics,
    loadChanges,
    loadContrast,
    loadCase,
    loadMap,
    loadSources,
    // What is opened from a view is fetched with it.
    () => import('../requests/RequestView.js'),
    () => import('../runs/RunView.js'),
  ])
    void load();
}
