import { Spotlight, type SpotlightActionData } from '@mantine/spotlight';
import { useNavigate, useSearchParams } from 'react-router';
import { useCase, useDatasets, usePins } from '../api/queries.js';
import { carriedParameters, datasetParameters, LIVE } from '../context/view-state.js';
import { VIEWS } from './views.js';

/** Goes to a view, a pin or a data set by its name: Ctrl K. */
export function GoAnywhere() {
  const navigate = useNavigate();
  const [parameters] = useSearchParams();
  const datasets = useDatasets().data ?? [];
  const pins = usePins(useCase()?.id).data ?? [];
  const carried = carriedParameters(parameters).toString();
  const actions: SpotlightActionData[] = [
    ...VIEWS.map(({ path, name }) => ({
      id: path,
      label: name,
      description: 'view',
      onClick: () => void navigate(`${path}?${carried}`),
    })),
    ...pins.map(({ id, title, address, note }) => ({
      id: `pin ${id}`,
      label: title,
      description: note === '' ? 'pin' : `pin: ${note}`,
      onClick: () => void navigate(address),
    })),
    ...datasets.map(({ id, name, view }) => ({
      id: `data ${id}`,
      label: id === LIVE ? 'Live' : name,
      description: 'data set',
      onClick: () => void navigate(id === LIVE ? '/patterns' : `/patterns?${datasetParameters(id, view)}`),
    })),
  ];
  return (
    <Spotlight
      actions={actions}
      shortcut="mod + K"
      nothingFound="Nothing of this name."
      highlightQuery
      limit={12}
      searchProps={{ placeholder: 'go to a view, a pin, a data set', 'aria-label': 'Go to' }}
    />
  );
}
