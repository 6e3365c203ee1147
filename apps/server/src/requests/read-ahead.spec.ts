import { jest } from '@jest/globals';
import type { Dataset, RecordStore } from '../store/record-store.js';
import type { AnalysisPool } from './analysis-pool.js';
import { ReadAheadService } from './read-ahead.service.js';

const segment = (id: number, to: number) => ({ id, from: to - 10, to, count: 1 });
const datasetOf = (signal: Dataset['signal'], ...segments: ReturnType<typeof segment>[]): Dataset =>
  ({ id: 1, signal, segments }) as unknown as Dataset;

describe('reading ahead', () => {
  let read: number[];
  let all: Dataset[];
  let service: ReadAheadService;
  /** Lets timers and what they begin come to their end. */
  const later = async (): Promise<void> => {
    await jest.advanceTimersByTimeAsync(5000);
  };

  beforeEach(() => {
    jest.useFakeTimers();
    read = [];
    all = [];
    service = new ReadAheadService(
      { all: () => all } as unknown as RecordStore,
      {
        readAhead: (id: number) => {
          read.push(id);
          return Promise.resolve();
        },
      } as unknown as AnalysisPool,
    );
  });
  afterEach(() => jest.useRealTimers());

  it('takes the newest spans first, each segment once, and no lines', async () => {
    const spans = datasetOf('spans', segment(1, 100), segment(2, 300), segment(3, 200));
    all = [spans, datasetOf('logs', segment(9, 500))];
    service.onApplicationBootstrap();
    await later();
    expect(read).toEqual([2, 3, 1]);
    spans.segments.push(segment(4, 50) as never);
    service.recordsStored(spans);
    service.recordsStored(spans);
    await later();
    expect(read).toEqual([2, 3, 1, 4]);
  });

  it('reads no more than are kept', async () => {
    const spans = datasetOf('spans', ...Array.from({ length: 100 }, (_, at) => segment(at, at * 10)));
    all = [spans];
    service.recordsStored(spans);
    await later();
    expect(read).toHaveLength(64);
    expect(Math.min(...read)).toBe(36);
  });

  it('ends with the server', async () => {
    all = [datasetOf('spans', segment(1, 100))];
    service.onApplicationBootstrap();
    await service.beforeApplicationShutdown();
    await later();
    service.recordsStored(all[0]!);
    await later();
    expect(read).toEqual([]);
  });
});
