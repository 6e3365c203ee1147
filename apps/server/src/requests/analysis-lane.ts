import type { ContrastNews } from '@flail/contract';
import { BrokenBlockError } from '@flail/core';
import { requestSeries } from '@flail/core/impact';
import { LRUCache } from 'lru-cache';
import { workerData } from 'piscina';
import { contrastRequests } from '../contrast/contrast-requests.js';
import { contrastRuns } from '../contrast/contrast-runs.js';
import { movedWith } from '../onsets/moved-with.js';
import { scanSeries } from '../onsets/scan-series.js';
import { type SeriesTable, seriesTable } from '../onsets/series-table.js';
import { SegmentGoneError } from '../store/segment-gone.js';
import { SeriesReader } from '../series/series-reader.js';
import { onThreadEnd } from '../platform/thread-end.js';
import { SegmentReader } from '../store/segment-reader.js';
import type {
  AnalysisAnswer,
  AnalysisTask,
  FiguresQuestion,
  RequestsTask,
  Subject,
  TableAsked,
} from './analysis-tasks.js';
import { analyse } from './analyse.js';
import { byField } from './by-field.js';
import { listRequests } from './list-requests.js';
import { oneRequest, twin } from './one-request.js';
import { overview } from './overview.js';
import { Progress } from '../told/progress.js';
import { suspect } from './suspect.js';
import { way } from './way.js';
import { RequestData } from './request-data.js';

const own = workerData as { data: string; cacheBytes: number };
const reader = new SegmentReader(own.data, own.cacheBytes);
onThreadEnd(() => reader.close());
const data = new RequestData(reader);
const series = new SeriesReader(reader.database, own.cacheBytes / 2);

/** Answers one task; the only entrance of the thread that looks into requests. */
export default async function lane(task: AnalysisTask): Promise<AnalysisAnswer> {
  try {
    if (task.task === 'close') return { value: await reader.close(), broken: [] };
    data.broken = [];
    if (task.task === 'read ahead') return { value: await data.readAhead(task.segment), broken: [] };
    return { value: await answer(task), broken: data.broken };
  } catch (error) {
    // The class of an error does not survive the way between threads.
    if (error instanceof SegmentGoneError) return { gone: error.segment };
    if (error instanceof BrokenBlockError) return { broken: error.column };
    throw error;
  }
}

function answer({ subject, question, news }: RequestsTask): Promise<unknown> {
  switch (question.kind) {
    case 'list':
      return listRequests(data, subject, question);
    case 'analysis':
      return analyse(data, subject, question);
    case 'way':
      return way(data, subject, question);
    case 'by field':
      return byField(data, subject, question);
    case 'one':
      return oneRequest(data, subject, question.trace);
    case 'twin':
      return twin(data, subject, question);
    case 'overview':
      return overview(data, subject, question);
    case 'onsets':
      return tableOf(subject, question).then((table) =>
        scanSeries(table, subject.window, new Progress(question.progress)),
      );
    case 'moved with':
      return tableOf(subject, question).then((table) =>
        movedWith(table, question, subject.window, new Progress(question.progress)),
      );
    case 'contrast':
      return contrastRequests(data, series, subject, question, {
        progress: new Progress(question.progress),
        ...(news && {
          found: (differences) => news.postMessage({ differences } satisfies ContrastNews),
        }),
      });
    case 'contrast runs':
      return Promise.resolve(contrastRuns(question));
    case 'figures':
      return figures(subject, question);
    case 'suspect':
      return suspect(data, subject, question);
    case 'moment':
      return data.momentOf(subject, question.trace).then((moment) => moment ?? null);
  }
}

/** Tables of all series that were asked for last: what moved with one is asked of the same. */
const tables = new LRUCache<string, SeriesTable>({ max: 1 });

async function tableOf(subject: Subject, asked: TableAsked): Promise<SeriesTable> {
  const { steps, members, progress } = asked;
  const { scope, visible, until, spans } = subject;
  const fresh = members.map(({ id, fresh: parts }) => [
    id,
    parts.reduce((sum, { length }) => sum + length, 0),
  ]);
  const key = JSON.stringify([steps, scope, visible, until, spans.segments, fresh]);
  let table = tables.get(key);
  if (!table) {
    table = await seriesTable(data, series, subject, asked, new Progress(progress));
    tables.set(key, table);
  }
  return table;
}

async function figures(subject: Subject, { service, operation, steps }: FiguresQuestion) {
  const window = { from: steps.from, to: steps.from + steps.width * steps.count };
  const all = await data.requests(subject, window);
  const own = all.filter(
    (request) =>
      (service === undefined || request.service === service) &&
      (operation === undefined || request.name === operation),
  );
  return requestSeries(own, window, steps.width / 1e6);
}
