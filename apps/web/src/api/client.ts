import type {
  CaseAnswer,
  CaseBody,
  CaseChange,
  ChecksAnswer,
  ChangesSearchAnswer,
  ReadingBody,
  CompleteAnswer,
  ContrastAnswer,
  ContrastBody,
  ContrastNews,
  CorrectionBody,
  CorrectionPreview,
  CountAnswer,
  DatasetSummary,
  ExcessAnswer,
  ExportBody,
  FieldsAnswer,
  FieldsBody,
  FieldsNews,
  FormatPreview,
  HealthAnswer,
  HealthBody,
  InvestigationAnswer,
  InvestigationBody,
  InvestigationNews,
  KeptCorrection,
  KeptMark,
  LogsSearchAnswer,
  LogsSearchBody,
  SearchNews,
  MarkBody,
  MovedWithAnswer,
  MovedWithBody,
  NoiseAnswer,
  Objective,
  ObjectiveBody,
  OnsetsSearchAnswer,
  PatternAnswer,
  PatternsSearchAnswer,
  PatternsSearchBody,
  Pin,
  PinBody,
  PlotAnswer,
  PlotQueryBody,
  ProblemBody,
  ProgressBody,
  QuestionAnswer,
  QuestionBody,
  ReadBody,
  RecoveryAnswer,
  RegularityAnswer,
  ReplayChange,
  RequestAnswer,
  RequestsAnalysisAnswer,
  RequestsAnalysisBody,
  RequestsSearchAnswer,
  RequestsWayAnswer,
  RequestsWayBody,
  RequestsSearchBody,
  RetentionBody,
  RunAnswer,
  RunsSearchAnswer,
  ServerState,
  RunStateName,
  RunsTallyAnswer,
  SeriesSearchAnswer,
  SavedCohorts,
  SavedCohortsBody,
  SavedExpression,
  SavedExpressionBody,
  SourceSummary,
  SummaryAnswer,
  SummaryBody,
  SuspectAnswer,
  SuspectBody,
  TopologyAnswer,
  TwinAnswer,
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

/** Asks for an answer that tells on the way how far it is. */
async function postTold<T, News = ProgressBody>(
  path: string,
  body: object,
  told: (news: News) => void,
  signal: AbortSignal,
): Promise<T> {
  const response = await fetch(`/api/v1/${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', accept: 'application/x-ndjson' },
    body: JSON.stringify(body),
    signal,
  });
  if (!response.ok) throw new ApiError(response.status, problemOf(response.status, await response.text()));
  const reader = response.body!.pipeThrough(new TextDecoderStream()).getReader();
  let text = '';
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    text += part.value;
    const lines = text.split('\n');
    text = lines.pop()!;
    for (const line of lines) {
      const news = JSON.parse(line) as { answer: T } | { problem: ProblemBody } | News;
      if (typeof news === 'object' && news !== null && 'answer' in news) return news.answer;
      if (typeof news === 'object' && news !== null && 'problem' in news)
        throw new ApiError(news.problem.status, news.problem);
      told(news);
    }
  }
  throw new ApiError(0, problemOf(0, 'The answer broke off before its end.'));
}

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

/** Reads a file piece by piece, so that its growth can be shown and stopped. */
async function download(
  path: string,
  body: object,
  told: (bytes: number) => void,
  signal: AbortSignal,
): Promise<Blob> {
  const response = await fetch(path, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
    signal,
  });
  if (!response.ok) throw new ApiError(response.status, problemOf(response.status, await response.text()));
  const parts: Uint8Array<ArrayBuffer>[] = [];
  let bytes = 0;
  const reader = response.body!.getReader();
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    parts.push(part.value);
    bytes += part.value.length;
    told(bytes);
  }
  return new Blob(parts, { type: response.headers.get('content-type') ?? 'application/octet-stream' });
}

const source = (name: string, rest: string, dataset: string): string =>
  `sources/${encodeURIComponent(name)}/${rest}?${new URLSearchParams({ dataset }).toString()}`;
const datasetPath = (id: string): string => `datasets/${encodeURIComponent(id)}`;

export const api = {
  sources: (dataset: string, signal?: AbortSignal) => get<SourceSummary[]>('sources', { dataset }, signal),
  formatPreview: (dataset: string, name: string, body: ReadingBody, signal?: AbortSignal) =>
    post<FormatPreview>(source(name, 'preview', dataset), body, signal),
  correctFormat: (dataset: string, name: string, body: ReadingBody) =>
    put<object>(source(name, 'format', dataset), body),
  retain: (dataset: string, name: string, body: RetentionBody) =>
    put<RetentionBody>(source(name, 'retention', dataset), body),
  serverState: (signal?: AbortSignal) => get<ServerState>('health', {}, signal),
  datasets: (signal?: AbortSignal) => get<DatasetSummary[]>('datasets', {}, signal),
  renameDataset: (id: string, name: string) => put<DatasetSummary>(datasetPath(id), { name }),
  forgetDataset: (id: string) => remove(datasetPath(id)),
  replay: (id: string, change: ReplayChange) => put<DatasetSummary>(`${datasetPath(id)}/replay`, change),
  endReplay: (id: string) => remove(`${datasetPath(id)}/replay`),
  /** Where a bundle can be fetched from. */
  caseBundleAddress: (id: number, redact: readonly string[]) =>
    `/api/v1/cases/${id}/bundle?${new URLSearchParams(redact.map((field) => ['redact', field])).toString()}`,
  bundleAddress: (id: string, parameters: { name: string; view?: string } & Partial<WindowBody>) =>
    `/api/v1/${datasetPath(id)}/bundle?${new URLSearchParams({ ...parameters }).toString()}`,
  excess: (dataset: string, signal?: AbortSignal) => get<ExcessAnswer>('excess', { dataset }, signal),
  volume: (
    parameters: { dataset: string; from?: string; to?: string; scope?: string; steps: number },
    signal?: AbortSignal,
  ) => get<VolumeAnswer>('volume', { ...parameters, steps: String(parameters.steps) }, signal),
  count: (body: ReadBody, signal?: AbortSignal) => post<CountAnswer>('logs/count', body, signal),
  logs: (body: LogsSearchBody, signal?: AbortSignal) => post<LogsSearchAnswer>('logs/search', body, signal),
  /** The same, telling of the first records before all are counted. */
  logsTold: (body: LogsSearchBody, told: (news: SearchNews) => void, signal: AbortSignal) =>
    postTold<LogsSearchAnswer, SearchNews>('logs/search', body, told, signal),
  summary: (body: SummaryBody, signal?: AbortSignal) => post<SummaryAnswer>('logs/summary', body, signal),
  fields: (body: FieldsBody, told: (news: FieldsNews) => void, signal: AbortSignal) =>
    postTold<FieldsAnswer, FieldsNews>('logs/fields', body, told, signal),
  requests: (body: RequestsSearchBody, signal?: AbortSignal) =>
    post<RequestsSearchAnswer>('requests/search', body, signal),
  requestsAnalysis: (body: RequestsAnalysisBody, signal?: AbortSignal) =>
    post<RequestsAnalysisAnswer>('requests/analysis', body, signal),
  requestsWay: (body: RequestsWayBody, signal?: AbortSignal) =>
    post<RequestsWayAnswer>('requests/way', body, signal),
  request: (dataset: string, trace: string, signal?: AbortSignal) =>
    get<RequestAnswer>(`requests/${encodeURIComponent(trace)}`, { dataset }, signal),
  twin: (dataset: string, trace: string, signal?: AbortSignal) =>
    get<TwinAnswer>(`requests/${encodeURIComponent(trace)}/twin`, { dataset }, signal),
  health: (body: HealthBody, signal?: AbortSignal) => post<HealthAnswer>('overview', body, signal),
  checks: (body: { dataset: string; window: WindowBody }, signal?: AbortSignal) =>
    post<ChecksAnswer>('checks/search', body, signal),
  objectives: (dataset: string, signal?: AbortSignal) => get<Objective[]>('objectives', { dataset }, signal),
  setObjective: (dataset: string, body: ObjectiveBody, id?: number) =>
    id === undefined || id === 0
      ? post<Objective>(`objectives?${new URLSearchParams({ dataset }).toString()}`, body)
      : put<Objective>(`objectives/${id}?${new URLSearchParams({ dataset }).toString()}`, body),
  dropObjective: (dataset: string, id: number) =>
    remove(`objectives/${id}?${new URLSearchParams({ dataset }).toString()}`),
  runs: (
    body: { dataset: string; window: WindowBody; job?: string; states?: RunStateName[]; limit?: number },
    signal?: AbortSignal,
  ) => post<RunsSearchAnswer>('runs/search', body, signal),
  runsTally: (body: { dataset: string; window: WindowBody }, signal?: AbortSignal) =>
    post<RunsTallyAnswer>('runs/tally', body, signal),
  run: (dataset: string, run: string, signal?: AbortSignal) =>
    get<RunAnswer>(`runs/${encodeURIComponent(run)}`, { dataset }, signal),
  actOnRun: (run: string, action: 'stop' | 'retry') =>
    post<undefined>(`runs/${encodeURIComponent(run)}/${action}`, {}),
  topology: (body: { dataset: string; window: WindowBody }, signal?: AbortSignal) =>
    post<TopologyAnswer>('topology/search', body, signal),
  suspect: (body: SuspectBody, signal?: AbortSignal) => post<SuspectAnswer>('suspect', body, signal),
  onsets: (body: ReadBody, told: (news: ProgressBody) => void, signal: AbortSignal) =>
    postTold<OnsetsSearchAnswer>('onsets/search', body, told, signal),
  plot: (body: PlotQueryBody, signal?: AbortSignal) => post<PlotAnswer>('metrics/plot', body, signal),
  findSeries: (body: ReadBody & { query: string }, signal?: AbortSignal) =>
    post<SeriesSearchAnswer>('metrics/find', body, signal),
  contrast: (body: ContrastBody, told: (news: ContrastNews) => void, signal: AbortSignal) =>
    postTold<ContrastAnswer>('contrast', body, told, signal),
  related: (body: MovedWithBody, told: (news: ProgressBody) => void, signal: AbortSignal) =>
    postTold<MovedWithAnswer>('metrics/related', body, told, signal),
  noise: (body: ReadBody, signal?: AbortSignal) => post<NoiseAnswer>('noise/search', body, signal),
  changes: (body: { dataset: string; window: WindowBody }, signal?: AbortSignal) =>
    post<ChangesSearchAnswer>('changes/search', body, signal),
  revertChange: (id: string) => post<undefined>(`changes/${encodeURIComponent(id)}/revert`, {}),
  regularity: (
    parameters: { dataset: string; scope: string; from?: string; to?: string },
    signal?: AbortSignal,
  ) => get<RegularityAnswer>('regularity', parameters, signal),
  pattern: (
    id: string,
    parameters: { dataset: string; from: string; to: string; baselineFrom?: string; baselineTo?: string },
    signal?: AbortSignal,
  ) => get<PatternAnswer>(`patterns/${encodeURIComponent(id)}`, parameters, signal),
  corrections: (dataset: string, signal?: AbortSignal) =>
    get<{ corrections: KeptCorrection[] }>('corrections', { dataset }, signal),
  correct: (dataset: string, rule: CorrectionBody) =>
    post<KeptCorrection>(`corrections?${new URLSearchParams({ dataset }).toString()}`, rule),
  previewCorrection: (dataset: string, rule: CorrectionBody) =>
    post<CorrectionPreview>(`corrections/preview?${new URLSearchParams({ dataset }).toString()}`, rule),
  undoCorrection: (dataset: string, id: number) =>
    remove(`corrections/${id}?${new URLSearchParams({ dataset }).toString()}`),
  marks: (dataset: string, signal?: AbortSignal) => get<{ marks: KeptMark[] }>('marks', { dataset }, signal),
  mark: (dataset: string, mark: MarkBody) =>
    post<KeptMark>(`marks?${new URLSearchParams({ dataset }).toString()}`, mark),
  undoMark: (dataset: string, id: number) =>
    remove(`marks/${id}?${new URLSearchParams({ dataset }).toString()}`),
  expressions: (signal?: AbortSignal) => get<SavedExpression[]>('expressions', {}, signal),
  keepExpression: (body: SavedExpressionBody) => post<SavedExpression>('expressions', body),
  forgetExpression: (id: number) => remove(`expressions/${id}`),
  cohorts: (signal?: AbortSignal) => get<SavedCohorts[]>('cohorts', {}, signal),
  keepCohorts: (body: SavedCohortsBody) => post<SavedCohorts>('cohorts', body),
  forgetCohorts: (id: number) => remove(`cohorts/${id}`),
  cases: (signal?: AbortSignal) => get<CaseBody[]>('cases', {}, signal),
  makeCase: (name: string) => post<CaseBody>('cases', { name }),
  renameCase: (id: number, name: string) => put<CaseAnswer>(`cases/${id}`, { name }),
  caseInFull: (id: number, signal?: AbortSignal) => get<CaseAnswer>(`cases/${id}`, {}, signal),
  changeCase: (id: number, change: CaseChange) => put<CaseAnswer>(`cases/${id}`, change),
  /** Where a report can be read. */
  reportAddress: (id: number, format: string) => `/api/v1/cases/${id}/report?format=${format}`,
  report: async (id: number, format: string): Promise<string> => {
    const response = await fetch(`/api/v1/cases/${id}/report?format=${format}`);
    const text = await response.text();
    if (!response.ok) throw new ApiError(response.status, problemOf(response.status, text));
    return text;
  },
  investigate: (body: InvestigationBody, told: (news: InvestigationNews) => void, signal: AbortSignal) =>
    postTold<InvestigationAnswer, InvestigationNews>('investigations', body, told, signal),
  question: (body: QuestionBody) => post<QuestionAnswer>('questions', body),
  recovery: (body: InvestigationBody, signal?: AbortSignal) => post<RecoveryAnswer>('recovery', body, signal),
  pins: (id: number, signal?: AbortSignal) => get<Pin[]>(`cases/${id}/pins`, {}, signal),
  pin: (id: number, body: PinBody) => post<Pin>(`cases/${id}/pins`, body),
  notePin: (id: number, pin: number, note: string) => put<Pin>(`cases/${id}/pins/${pin}`, { note }),
  unpin: (id: number, pin: number) => remove(`cases/${id}/pins/${pin}`),
  /** A file of what was found, as it streams in; `told` hears how much has come. */
  export: (body: ExportBody, told: (bytes: number) => void, signal: AbortSignal) =>
    download('/api/v1/export', body, told, signal),
  followAddress: (dataset: string, scope: string) =>
    `/api/v1/logs/follow?${new URLSearchParams({ dataset, scope }).toString()}`,
  patterns: (body: PatternsSearchBody, signal?: AbortSignal) =>
    post<PatternsSearchAnswer>('patterns/search', body, signal),
  complete: (
    parameters: {
      dataset: string;
      field?: string;
      prefix?: string;
      from?: string;
      to?: string;
      limit?: string;
    },
    signal?: AbortSignal,
  ) => get<CompleteAnswer>('complete', parameters, signal),
};
