import type { CohortBody, CohortPreset } from '@flail/contract';
import { useSearchParams } from 'react-router';
import { windowBody } from '../api/queries.js';
import { useViewParameter, type ViewState } from '../context/view-state.js';

/** What can be set of the cohorts; each stands in the address. */
function useControls() {
  const [items, setItems] = useViewParameter('items', 'requests');
  const [preset, setPreset] = useViewParameter('first', 'wrong');
  const [other, setOther] = useViewParameter('second', 'ok');
  const [scope, setScope] = useViewParameter('firstScope', '');
  const [otherScope, setOtherScope] = useViewParameter('secondScope', '');
  const [within, setWithin] = useViewParameter('secondIn', 'focus');
  return {
    ...{ items, setItems, preset, setPreset, other, setOther },
    ...{ scope, setScope, otherScope, setOtherScope, within, setWithin },
  };
}

/** Reads the cohorts from the parameters of the view. */
export function useCohorts(state: ViewState) {
  const controls = useControls();
  const { items, preset, other, scope, otherScope, within } = controls;
  const [parameters] = useSearchParams();
  const service = parameters.get('service');
  const operation = parameters.get('operation');
  const slower = Number(parameters.get('slower')) || undefined;
  const faster = Number(parameters.get('faster')) || undefined;
  const job = parameters.get('job');
  const common: CohortBody = {
    ...(service !== null && { service }),
    ...(operation !== null && { operation }),
    ...(job !== null && { job }),
  };
  const cut = slower !== undefined || faster !== undefined;
  const first: CohortBody = {
    ...common,
    preset: cut ? 'all' : (preset as CohortPreset),
    ...(scope !== '' && { scope }),
    ...(slower !== undefined && { slower }),
  };
  const second: CohortBody = {
    ...common,
    preset: cut ? 'all' : (other as CohortPreset),
    ...(otherScope !== '' && { scope: otherScope }),
    ...(faster !== undefined ? { faster } : slower !== undefined && { faster: slower }),
    ...(within === 'baseline' && state.baseline && { window: windowBody(state.baseline) }),
  };
  return {
    body: { items: items as 'requests' | 'runs', first, second },
    controls,
    narrowed: [operation, service, job, cut ? 'cut by duration' : null].filter((one) => one !== null),
  };
}
