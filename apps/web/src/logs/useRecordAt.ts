import { api } from '../api/client.js';
import { useAsked } from '../api/queries.js';
import { momentWindow, placeOf } from './around.js';

/** Several records may share a moment; more than these are not looked through. */
const OF_A_MOMENT = 1000;

/** The record that stands at a place (see placeText); null where none does any more. */
export function useRecordAt(dataset: string, place: string, enabled = true) {
  const at = placeOf(place);
  return useAsked(
    ['record', dataset, place],
    async (signal) => {
      const found = await api.logs({ dataset, window: momentWindow(at!.time), limit: OF_A_MOMENT }, signal);
      return found.records.find(({ cursor }) => cursor === at!.cursor) ?? null;
    },
    enabled && at !== undefined,
  );
}
