import type { ColumnsBody, DatasetSummary, ReadBody } from '@flail/contract';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { LIVE, type Span, useViewState, type ViewState } from '../context/view-state.js';
import { Arrivals } from './arrivals.js';
import { api } from './client.js';

export const windowBody = (span: Span): { from: string; to: string } => ({
  from: new Date(span.from).toISOString(),
  to: new Date(span.to).toISOString(),
});

/** What every read of a view carries; undefined until a focus is set. */
export function readBody({ dataset, focus, baseline, scope }: ViewState): ReadBody | undefined {
  return (
    focus && {
      dataset,
      window: windowBody(focus),
      ...(baseline && { baseline: windowBody(baseline) }),
      scope,
    }
  );
}

/** How often what is held is asked for, so that live data appear. */
const REFRESH_MS = 5000;
const REPLAY_MS = 1000;

const arrivals = new Arrivals();

/** What there is of data sets; looked at more often while one is played back. */
export const useDatasets = () =>
  useQuery({
    queryKey: ['datasets'],
    queryFn: async ({ signal }) => {
      const all = await api.datasets(signal);
      const now = performance.now();
      return all.map((one) => ({ ...one, mark: arrivals.markOf(one.id, one.records + one.spans, now) }));
    },
    refetchInterval: ({ state }) =>
      state.data?.some(({ replay }) => replay?.playing) === true ? REPLAY_MS : REFRESH_MS,
  });

/** What is held of the data set that is looked at. */
export function useHeld() {
  const [{ dataset }] = useViewState();
  const all = useDatasets();
  const one = all.data?.find(({ id }) => id === dataset);
  const data = useMemo(() => all.data && heldOf(one), [all.data, one]);
  return { ...all, data };
}

const heldOf = (dataset: (DatasetSummary & { mark: number }) | undefined) => ({
  dataset,
  records: dataset?.records ?? 0,
  span: dataset?.window && { from: Date.parse(dataset.window.from), to: Date.parse(dataset.window.to) },
  /** Up to where it is shown: its end, unless it is played back. */
  until: Date.parse(dataset?.replay?.position ?? dataset?.window?.to ?? ''),
});

/** What answers depend on that is in no question: up to where a data set is played back, and how much of it has come in. */
export function useHeldMark(): string | number | undefined {
  const dataset = useHeld().data?.dataset;
  // Nothing has come in yet since it was first looked at: that is as good as not knowing.
  return dataset?.replay?.position ?? (dataset?.mark || undefined);
}

export function useVolume(dataset: string, band: Span | undefined, scope: string, steps: number) {
  const mark = useHeldMark();
  return useQuery({
    queryKey: ['volume', dataset, band, scope, steps, mark],
    queryFn: ({ signal }) => api.volume({ dataset, ...(band && windowBody(band)), scope, steps }, signal),
    placeholderData: keepPreviousData,
    refetchInterval: dataset === LIVE ? 2 * REFRESH_MS : false,
  });
}

export function useExcess(dataset: string, records: number) {
  const mark = useHeldMark();
  return useQuery({
    // Asked again when there is markedly more to look at, not with every record.
    queryKey: ['excess', dataset, Math.floor(Math.log2(records + 1) * 4), mark],
    queryFn: ({ signal }) => api.excess(dataset, signal),
    enabled: records > 0,
    placeholderData: keepPreviousData,
  });
}

export function useCount(body: ReadBody | undefined) {
  const mark = useHeldMark();
  return useQuery({
    queryKey: ['count', body, mark],
    queryFn: ({ signal }) => api.count(body!, signal),
    enabled: body !== undefined,
    placeholderData: keepPreviousData,
  });
}

export function usePatterns(body: ReadBody | undefined, order: string, grain?: number) {
  const mark = useHeldMark();
  return useQuery({
    queryKey: ['patterns', body, order, grain, mark],
    queryFn: ({ signal }) =>
      api.patterns(
        { ...body!, order: order as 'surprise', limit: 1000, ...(grain !== undefined && { grain }) },
        signal,
      ),
    enabled: body !== undefined,
    placeholderData: keepPreviousData,
  });
}

export const useSources = (dataset: string, enabled = true) =>
  useQuery({
    enabled,
    queryKey: ['sources', dataset],
    queryFn: ({ signal }) => api.sources(dataset, signal),
    refetchInterval: REFRESH_MS,
  });

export const useFormatPreview = (
  dataset: string,
  name: string,
  body: { format: string; columns?: ColumnsBody },
) =>
  useQuery({
    queryKey: ['format', dataset, name, body],
    queryFn: ({ signal }) => api.formatPreview(dataset, name, body, signal),
    placeholderData: keepPreviousData,
  });

/** A question that only some parts of a view ask, and only once there is something to ask of. */
export function useAsked<T>(
  key: readonly unknown[],
  ask: (signal: AbortSignal) => Promise<T>,
  enabled = true,
) {
  const mark = useHeldMark();
  return useQuery({
    queryKey: [...key, mark],
    queryFn: ({ signal }) => ask(signal),
    enabled,
    placeholderData: keepPreviousData,
  });
}

export const useSummary = (body: ReadBody | undefined, expression: string, enabled = true) =>
  useAsked(
    ['summary', body, expression],
    (signal) => {
      const { dataset, window, baseline } = body!;
      return api.summary(
        { window, expression, ...(dataset !== undefined && { dataset }), ...(baseline && { baseline }) },
        signal,
      );
    },
    enabled && body !== undefined,
  );

export const useNoise = (body: ReadBody | undefined, enabled: boolean) =>
  useAsked(['noise', body], (signal) => api.noise(body!, signal), enabled && body !== undefined);

export const usePatternDetail = (body: ReadBody | undefined, id: string) =>
  useAsked(
    ['pattern', body, id],
    (signal) => {
      const { dataset, window, baseline } = body!;
      return api.pattern(
        id,
        {
          dataset: dataset ?? LIVE,
          ...window,
          ...(baseline && { baselineFrom: baseline.from, baselineTo: baseline.to }),
        },
        signal,
      );
    },
    body !== undefined && id !== '',
  );

export const useChanges = (dataset: string, band: Span | undefined) =>
  useAsked(
    ['changes', dataset, band],
    (signal) => api.changes({ dataset, window: windowBody(band!) }, signal),
    band !== undefined,
  );

export const useMarks = (dataset: string) =>
  useQuery({ queryKey: ['marks', dataset], queryFn: ({ signal }) => api.marks(dataset, signal) });

export const useCorrections = (dataset: string) =>
  useQuery({ queryKey: ['corrections', dataset], queryFn: ({ signal }) => api.corrections(dataset, signal) });

export const useExpressions = (enabled: boolean) =>
  useQuery({ queryKey: ['expressions'], queryFn: ({ signal }) => api.expressions(signal), enabled });

/** The case that is open: the newest. */
export function useCase() {
  const cases = useQuery({ queryKey: ['cases'], queryFn: ({ signal }) => api.cases(signal) });
  return cases.data?.[0];
}

export const usePins = (id: number | undefined) =>
  useQuery({
    queryKey: ['pins', id],
    queryFn: ({ signal }) => api.pins(id!, signal),
    enabled: id !== undefined,
  });
