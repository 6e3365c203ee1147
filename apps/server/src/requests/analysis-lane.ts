import { BrokenBlockError } from '@flail/core';
import { workerData } from 'piscina';
import { SegmentGoneError } from '../store/segment-gone.js';
import { SeriesReader } from '../series/series-reader.js';
import { SegmentReader } from '../store/segment-reader.js';
import type { AnalysisAnswer, AnalysisTask, RequestsQuestion, Subject } from './analysis-tasks.js';
import { analyse } from './analyse.js';
import { listRequests } from './list-requests.js';
import { oneRequest, twin } from './one-request.js';
import { overview } from './overview.js';
import { scanSeries } from './scan-series.js';
import { suspect } from './suspect.js';
import { RequestData } from './request-data.js';

const own = workerData as { data: string; cacheBytes: number };
const reader = new SegmentReader(own.data, own.cacheBytes);
const data = new RequestData(reader);
const series = new SeriesReader(reader.database);

/** Answers one task; the only entrance of the thread that looks into requests. */
export default async function lane(task: AnalysisTask): Promise<AnalysisAnswer> {
  try {
    if (task.task === 'close') return { value: await reader.close(), broken: [] };
    data.broken = [];
    return { value: await answer(task.subject, task.question), broken: data.broken };
  } catch (error) {
    // The class of an error does not survive the way between threads.
    if (error instanceof SegmentGoneError) return { gone: error.segment };
    if (error instanceof BrokenBlockError) return { broken: error.column };
    throw error;
  }
}

function answer(subject: Subject, question: RequestsQuestion): Promise<unknown> {
  switch (question.kind) {
    case 'list':
      return listRequests(data, subject, question);
    case 'analysis':
      return analyse(data, subject, question);
    case 'one':
      return oneRequest(data, subject, question.trace);
    case 'twin':
      return twin(data, subject, question);
    case 'overview':
      return overview(data, subject, question);
    case 'onsets':
      return scanSeries(data, series, subject, question);
    case 'suspect':
      return suspect(data, subject, question);
    case 'moment':
      return data.momentOf(subject, question.trace).then((moment) => moment ?? null);
  }
}
