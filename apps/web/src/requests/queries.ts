import type { RequestsAnalysisBody, RequestsSearchBody } from '@flail/contract';
import { useQueryClient } from '@tanstack/react-query';
import { api } from '../api/client.js';
import { useAsked, useHeldMark } from '../api/queries.js';

export const useRequests = (body: RequestsSearchBody | undefined) =>
  useAsked(['requests', body], (signal) => api.requests(body!, signal), body !== undefined);

export const useRequestsAnalysis = (body: RequestsAnalysisBody | undefined, enabled = true) =>
  useAsked(
    ['requests-analysis', body],
    (signal) => api.requestsAnalysis(body!, signal),
    enabled && body !== undefined,
  );

/** Asks for a request before it is opened. */
export function useRequestAhead(dataset: string): (trace: string) => void {
  const client = useQueryClient();
  const mark = useHeldMark();
  return (trace) =>
    void client.prefetchQuery({
      queryKey: ['request', dataset, trace, mark],
      queryFn: ({ signal }) => api.request(dataset, trace, signal),
      staleTime: Infinity,
    });
}

export const useRequest = (dataset: string, trace: string) =>
  useAsked(['request', dataset, trace], (signal) => api.request(dataset, trace, signal), trace !== '');

export const useTwin = (dataset: string, trace: string, enabled: boolean) =>
  useAsked(['twin', dataset, trace], (signal) => api.twin(dataset, trace, signal), enabled);
