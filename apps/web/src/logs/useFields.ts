import type { FieldsAnswer, FieldsNews, ReadBody } from '@flail/contract';
import { api } from '../api/client.js';
import { useHeldMark } from '../api/queries.js';
import { useTold } from '../api/useTold.js';

const MOST_VALUES = 20;

/** Fields of a focus by how they differ from the baseline; of a long question by what has been counted so far. */
export function useFields(body: ReadBody | undefined) {
  const mark = useHeldMark();
  const query = useTold<FieldsAnswer, FieldsNews>(
    ['fields', body, mark],
    (told, signal) => api.fields({ ...body!, limit: MOST_VALUES }, told, signal),
    { enabled: body !== undefined, keep: true },
  );
  const { data, isPlaceholderData, isFetching, told } = query;
  const soFar = isFetching && (data === undefined || isPlaceholderData) ? told.fields : undefined;
  return { ...query, fields: soFar ?? data?.fields, isSoFar: soFar !== undefined };
}
