import type {
  ColumnsBody,
  CompleteAnswer,
  CountAnswer,
  DatasetSummary,
  ExcessAnswer,
  FormatPreview,
  LogsSearchAnswer,
  LogsSearchBody,
  PatternsSearchAnswer,
  PatternsSearchBody,
  ProblemBody,
  ReadBody,
  ReplayChange,
  RetentionBody,
  SourceSummary,
  VolumeAnswer,
  WindowBody,
} from '@flail/contract';

/** An answer that is no success, with the server's own words. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly problem: ProblemBody,
  ) {
    super(problem.detail);
  }
}

/** Reads the problem of a failed answer, whatever came. */
export function problemOf(status: number, body: string): ProblemBody {
  try {
    const parsed = JSON.parse(body) as Partial<ProblemBody>;
    if (typeof parsed.detail === 'string') return parsed as ProblemBody;
  } catch {
    // Something between here and the server answered.
  }
  return {
    type: 'about:blank',
    title: 'No usable answer',
    status,
    detail: body.slice(0, 300) || `The server answered ${status} without a word.`,
    code: 'unknown',
  };
}

async function call<T>(path: string, init?: RequestInit): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api/v1/${path}`, init);
  } catch (error) {
    if (init?.signal?.aborted) throw error;
    throw new ApiError(0, {
      type: 'about:blank',
      title: 'No connection',
      status: 0,
      detail: 'The server can not be reached. Is it still running?',
      code: 'offline',
    });
  }
  const text = await response.text();
  if (!response.ok) throw new ApiError(response.status, problemOf(response.status, text));
  return (text === '' ? undefined : JSON.parse(text)) as T;
}

const post = <T>(path: string, body: object, signal?: AbortSignal): Promise<T> =>
  call<T>(path, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
    ...(signal && { signal }),
  });

const get = <T>(
  path: string,
  parameters: Record<string, string | undefined>,
  signal?: AbortSignal,
): Promise<T> => {
  const query = new URLSearchParams(
    Object.entries(parameters).flatMap(([name, value]) => (value === undefined ? [] : [[name, value]])),
  );
  return call<T>(`${path}?${query.toString()}`, signal ? { signal } : undefined);
};

const put = <T>(path: string, body: object): Promise<T> =>
  call<T>(path, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });

const remove = (path: string): Promise<void> => call<void>(path, { method: 'DELETE' });

const source = (name: string, rest: string, dataset: string): string =>
  `sources/${encodeURIComponent(name)}/${rest}?${new URLSearchParams({ dataset }).toString()}`;
const datasetPath = (id: string): string => `datasets/${encodeURIComponent(id)}`;

export const api = {
  sources: (dataset: string, signal?: AbortSignal) => get<SourceSummary[]>('sources', { dataset }, signal),
  formatPreview: (
    dataset: string,
    name: string,
    body: { format: string; columns?: ColumnsBody },
    signal?: AbortSignal,
  ) => post<FormatPreview>(source(name, 'preview', dataset), body, signal),
  correctFormat: (dataset: string, name: string, body: { format: string; columns?: ColumnsBody }) =>
    put<object>(source(name, 'format', dataset), body),
  retain: (dataset: string, name: string, body: RetentionBody) =>
    put<RetentionBody>(source(name, 'retention', dataset), body),
  datasets: (signal?: AbortSignal) => get<DatasetSummary[]>('datasets', {}, signal),
  renameDataset: (id: string, name: string) => put<DatasetSummary>(datasetPath(id), { name }),
  forgetDataset: (id: string) => remove(datasetPath(id)),
  replay: (id: string, change: ReplayChange) => put<DatasetSummary>(`${datasetPath(id)}/replay`, change),
  endReplay: (id: string) => remove(`${datasetPath(id)}/replay`),
  /** Where a bundle can be fetched from. */
  bundleAddress: (id: string, parameters: { name: string; view?: string } & Partial<WindowBody>) =>
    `/api/v1/${datasetPath(id)}/bundle?${new URLSearchParams({ ...parameters }).toString()}`,
  excess: (dataset: string, signal?: AbortSignal) => get<ExcessAnswer>('excess', { dataset }, signal),
  volume: (
    parameters: { dataset: string; from?: string; to?: string; scope?: string; steps: number },
    signal?: AbortSignal,
  ) => get<VolumeAnswer>('volume', { ...parameters, steps: String(parameters.steps) }, signal),
  count: (body: ReadBody, signal?: AbortSignal) => post<CountAnswer>('logs/count', body, signal),
  logs: (body: LogsSearchBody, signal?: AbortSignal) => post<LogsSearchAnswer>('logs/search', body, signal),
  patterns: (body: PatternsSearchBody, signal?: AbortSignal) =>
    post<PatternsSearchAnswer>('patterns/search', body, signal),
  complete: (
    parameters: { dataset: string; field?: string; prefix?: string; from?: string; to?: string },
    signal?: AbortSignal,
  ) => get<CompleteAnswer>('complete', parameters, signal),
};
