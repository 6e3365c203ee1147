import { Spotlight, spotlight, type SpotlightActionData } from '@mantine/spotlight';
import { useEffect, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { useCase, useDatasets, usePins } from '../api/queries.js';
import { carriedParameters, datasetParameters, latestParameters, LIVE } from '../context/view-state.js';
import { VIEWS } from './views.js';

/** From so many words on, what is typed is taken for a question. */
const SENTENCE = 3;

/** Goes to a view, a pin or a data set by its name, or asks what is typed: Ctrl K. Opened: it is open when it comes. */
export function GoAnywhere({ opened, onAsk }: { opened: boolean; onAsk: (question: string) => void }) {
  const [query, setQuery] = useState('');
  useEffect(() => {
    if (opened) spotlight.open();
  }, [opened]);
  const navigate = useNavigate();
  const [parameters] = useSearchParams();
  const datasets = useDatasets().data ?? [];
  const pins = usePins(useCase()?.id).data ?? [];
  const carried = (): string => carriedParameters(latestParameters(parameters)).toString();
  const isQuestion = query.endsWith('?') || query.trim().split(/\s+/).length >= SENTENCE;
  const actions: SpotlightActionData[] = [
    ...(isQuestion
      ? [{ id: 'ask', label: query, description: 'ask in plain words', onClick: () => onAsk(query.trim()) }]
      : []),
    ...VIEWS.map(({ path, name }) => ({
      id: path,
      label: name,
      description: 'view',
      onClick: () => void navigate(`${path}?${carried()}`),
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
      query={query}
      onQueryChange={setQuery}
      shortcut="mod + K"
      tagsToIgnore={[]}
      triggerOnContentEditable
      nothingFound="Nothing of this name."
      highlightQuery
      limit={12}
      searchProps={{ placeholder: 'go to a view, a pin, a data set, or ask', 'aria-label': 'Go to' }}
    />
  );
}
