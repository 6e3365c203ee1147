import { useChanges } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';

/** Whether changes can be taken back through a change control. */
export function useChangeActions(): boolean {
  const [{ dataset }] = useViewState();
  // What can be done is told with any list of changes; of none it is told as well.
  const { data } = useChanges(dataset, { from: 0, to: 1 });
  return data?.actions.includes('revert') ?? false;
}
