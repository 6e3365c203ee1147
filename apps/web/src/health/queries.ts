import type { HealthBody, SuspectBody } from '@flail/contract';
import { api } from '../api/client.js';
import { useAsked } from '../api/queries.js';

export const useHealth = (body: HealthBody | undefined) =>
  useAsked(['health', body], (signal) => api.health(body!, signal), body !== undefined);

export const useChecks = (dataset: string, window: { from: string; to: string }, enabled: boolean) =>
  useAsked(['checks', dataset, window], (signal) => api.checks({ dataset, window }, signal), enabled);

export const useSuspect = (body: SuspectBody) =>
  useAsked(['suspect', body], (signal) => api.suspect(body, signal));
