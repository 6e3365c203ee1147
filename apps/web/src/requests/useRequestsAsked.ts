import type { RequestOrder, RequestPreset, RequestsSearchBody } from '@flail/contract';
import { readBody } from '../api/queries.js';
import { useViewParameter, useViewState } from '../context/view-state.js';

/** What the view of requests asks for, as it stands in the address, and what changes it. */
export function useRequestsAsked() {
  const [state] = useViewState();
  const [preset, setPreset] = useViewParameter('which', 'all');
  const [order, setOrder] = useViewParameter('order', 'newest');
  const [chosen, setChosen] = useViewParameter('operation', '');
  const [slowerText, setSlower] = useViewParameter('slower', '');
  const [fasterText, setFaster] = useViewParameter('faster', '');
  const [cohort, setCohort] = useViewParameter('cohort', '');
  const read = readBody(state)!;
  const [service = '', operation = ''] = chosen.split('~');
  const slower = Number(slowerText) || undefined;
  const faster = Number(fasterText) || undefined;
  const ofOperation: Record<string, never> | { service: string; operation: string } =
    service === '' ? {} : { service, operation };
  const body = (limit: number): RequestsSearchBody => ({
    ...read,
    ...ofOperation,
    preset: preset as RequestPreset,
    order: order as RequestOrder,
    limit,
    ...(slower !== undefined && { slower }),
    ...(faster !== undefined && { faster }),
    ...((cohort === 'slower' || cohort === 'faster') && { cohort }),
  });
  return {
    read,
    body,
    preset,
    setPreset,
    order,
    setOrder,
    service,
    operation,
    ofOperation,
    setChosen,
    slower,
    faster,
    cut: (which: 'slower' | 'faster', seconds: number | undefined): void =>
      (which === 'slower' ? setSlower : setFaster)(seconds === undefined ? '' : String(seconds)),
    cohort,
    setCohort,
  };
}
