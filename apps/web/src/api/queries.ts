import type { ReadBody } from '@flail/contract';
import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/react-query';
import type { Span, ViewState } from '../context/view-state.js';
import { api } from './client.js';

const windowBody = (span: Span): { from: string; to: string } => ({
  from: new Date(span.from).toISOString(),
  to: new Date(span.to).toISOString(),
});

/** What every read of a view carries; undefined until a focus is set. */
export function readBody({ focus, baseline, scope }: ViewState): ReadBody | undefined {
  return focus && { window: windowBody(focus), ...(baseline && { baseline: windowBody(baseline) }), scope };
}

/** How often what is held is asked for, so that live data appear. */
const REFRESH_MS = 5000;

export const useHeld = () =>
  useQuery({
    queryKey: ['datasets'],
    queryFn: ({ signal }) => api.datasets(signal),
    refetchInterval: REFRESH_MS,
    select: (datasets) => {
      const live = datasets.find(({ id }) => id === 'live');
      return {
        records: live?.records ?? 0,
        span: live?.window && { from: Date.parse(live.window.from), to: Date.parse(live.window.to) },
      };
    },
  });

export const useVolume = (band: Span | undefined, scope: string, steps: number) =>
  useQuery({
    queryKey: ['volume', band, scope, steps],
    queryFn: ({ signal }) => api.volume({ ...(band && windowBody(band)), scope, steps }, signal),
    placeholderData: keepPreviousData,
    refetchInterval: 2 * REFRESH_MS,
  });

export const useExcess = (records: number) =>
  useQuery({
    // Asked again when there is markedly more to look at, not with every record.
    queryKey: ['excess', Math.floor(Math.log2(records + 1) * 4)],
    queryFn: ({ signal }) => api.excess(signal),
    enabled: records > 0,
    placeholderData: keepPreviousData,
  });

export const useCount = (body: ReadBody | undefined) =>
  useQuery({
    queryKey: ['count', body],
    queryFn: ({ signal }) => api.count(body!, signal),
    enabled: body !== undefined,
    placeholderData: keepPreviousData,
  });

export const usePatterns = (body: ReadBody | undefined, order: string) =>
  useQuery({
    queryKey: ['patterns', body, order],
    queryFn: ({ signal }) => api.patterns({ ...body!, order: order as 'surprise', limit: 500 }, signal),
    enabled: body !== undefined,
    placeholderData: keepPreviousData,
  });

const PAGE = 200;

export const useLogs = (body: ReadBody | undefined, order: string) =>
  useInfiniteQuery({
    queryKey: ['logs', body, order],
    queryFn: ({ signal, pageParam }) =>
      api.logs(
        { ...body!, order: order as 'newest', limit: PAGE, ...(pageParam !== '' && { cursor: pageParam }) },
        signal,
      ),
    initialPageParam: '',
    getNextPageParam: (page) => page.cursor,
    enabled: body !== undefined,
    placeholderData: keepPreviousData,
  });

export const useSources = () =>
  useQuery({
    queryKey: ['sources'],
    queryFn: ({ signal }) => api.sources(signal),
    refetchInterval: REFRESH_MS,
  });

export const useFormatPreview = (name: string, format: string) =>
  useQuery({
    queryKey: ['format', name, format],
    queryFn: ({ signal }) => api.formatPreview(name, format, signal),
    placeholderData: keepPreviousData,
  });
