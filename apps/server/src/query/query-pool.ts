import { BrokenBlockError, type Window } from '@flail/core';
import { addSteps, emptySteps, type Stepped } from '@flail/core/series';
import type { Call } from '@flail/core/topology';
import { Inject, Injectable, type OnApplicationBootstrap } from '@nestjs/common';
import { CONFIG, type Config } from '../config/config.js';
import { Threads } from '../platform/threads.service.js';
import type { WorkerPool } from '../platform/worker-pool.js';
import { Problem } from '../problems/problem.js';
import { SegmentGoneError } from '../store/segment-gone.js';
import { workerFile } from '../store/worker-thread.js';
import type {
  Answers,
  AskTask,
  BriefRecord,
  Carried,
  CarrySeriesTask,
  CarryTask,
  Exported,
  ExportTask,
  Effort,
  FetchedRecord,
  FetchTask,
  LaneAnswer,
  LaneTask,
  Question,
  SeriesTask,
} from './lane-tasks.js';

/** Milliseconds that one task may take: it covers a few segments, and reading some once takes a second or two. */
const LIMIT_MS = 30_000;
/** Segments that one task covers: small enough that a question given up soon stops costing. */
const SEGMENTS_PER_TASK = 8;
/** Who waits for news has them of the first segments soon: of one, then two, then four. */
const FIRST_SEGMENTS = 1;

/**
 * The threads that answer questions. A segment always goes to the same lane, so that its unpacked columns
 * are kept in one place only.
 */
@Injectable()
export class QueryPool implements OnApplicationBootstrap {
  private lanes: WorkerPool<LaneTask>[] | undefined;

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly threads: Threads,
  ) {}

  /**
   * Puts a question to segments; parts come back in no particular order. Stops handing out work when the
   * signal fires, and adds to `effort` what it took. Each part is told of as it comes, with the segments
   * that are still to be asked.
   */
  async ask<K extends Question['kind']>(
    question: Extract<Question, { kind: K }>,
    { condition, patterns, slots }: Pick<AskTask, 'condition' | 'patterns' | 'slots'>,
    segments: readonly number[],
    signal?: AbortSignal,
    effort?: Effort,
    told?: (part: Answers[K], left: readonly number[]) => void,
  ): Promise<Answers[K][]> {
    const left = new Set(segments);
    const lanes = this.open();
    const perLane = lanes.map((_, lane) => segments.filter((segment) => segment % lanes.length === lane));
    const parts: Answers[K][] = [];
    await Promise.all(
      perLane.map(async (own, lane) => {
        let size = told ? FIRST_SEGMENTS : SEGMENTS_PER_TASK;
        for (let at = 0; at < own.length; at += size, size = Math.min(SEGMENTS_PER_TASK, 2 * size)) {
          if (signal?.aborted)
            throw new Problem(
              499,
              'given-up',
              'Given up',
              'The asker went away before the answer was ready.',
            );
          const task: AskTask = {
            task: 'ask',
            question,
            condition,
            patterns,
            ...(slots && { slots }),
            segments: own.slice(at, at + size),
          };
          const part = (await run(lanes[lane]!, task, effort)) as Answers[K];
          parts.push(part);
          for (const segment of task.segments) left.delete(segment);
          told?.(part, [...left]);
        }
      }),
    );
    return parts;
  }

  /** Rebuilds records; the answers stand in the order of the places. Those that can't be read are left out, and noted. */
  fetch(places: readonly { segment: number; row: number }[], effort?: Effort): Promise<FetchedRecord[]> {
    return this.fetchAs<FetchedRecord>(places, false, effort);
  }

  /** Layouts and slot values of records. */
  fetchBrief(places: readonly { segment: number; row: number }[]): Promise<BriefRecord[]> {
    return this.fetchAs<BriefRecord>(places, true);
  }

  /** What series did step by step; the members of a group are added up where they are read. */
  async seriesSteps(
    { groups, members, ...task }: Omit<SeriesTask, 'task'>,
    effort?: Effort,
  ): Promise<Stepped[]> {
    const lanes = this.open();
    const sums = Array.from({ length: groups }, () => emptySteps(task.steps));
    await Promise.all(
      lanes.map(async (pool, lane) => {
        const own = members.filter(({ id }) => id % lanes.length === lane);
        if (own.length === 0) return;
        const parts = await run(pool, { task: 'series', ...task, groups, members: own }, effort);
        (parts as Stepped[]).forEach((part, group) => addSteps(sums[group]!, part));
      }),
    );
    return sums;
  }

  /** Who calls whom, by the spans of a window. */
  async calls(window: Window, segments: number[], effort?: Effort): Promise<Call[]> {
    return (await run(this.open()[0]!, { task: 'calls', window, segments }, effort)) as Call[];
  }

  /** The records of a segment that match, as they are written to a file. */
  async export(task: ExportTask, effort: Effort): Promise<Exported> {
    const lanes = this.open();
    return (await run(lanes[task.segment % lanes.length]!, task, effort)) as Exported;
  }

  /** Records or points, as they are carried to another store. */
  async carry(task: CarryTask | CarrySeriesTask, effort?: Effort): Promise<Carried> {
    const lanes = this.open();
    const at = task.task === 'carry' ? task.segment % lanes.length : 0;
    return (await run(lanes[at]!, task, effort)) as Carried;
  }

  private async fetchAs<T extends BriefRecord>(
    places: readonly { segment: number; row: number }[],
    brief: boolean,
    effort?: Effort,
  ): Promise<T[]> {
    const lanes = this.open();
    const found = new Map<string, T>();
    await Promise.all(
      lanes.map(async (pool, lane) => {
        const own = places.filter(({ segment }) => segment % lanes.length === lane);
        if (own.length === 0) return;
        const task: FetchTask = { task: 'fetch', places: own, ...(brief && { brief }) };
        for (const record of (await run(pool, task, effort)) as T[])
          found.set(`${record.segment}/${record.row}`, record);
      }),
    );
    return places.flatMap(({ segment, row }) => found.get(`${segment}/${row}`) ?? []);
  }

  /** Threads take a moment to start; the first question should not wait for it. */
  onApplicationBootstrap(): void {
    this.open();
  }

  private open(): WorkerPool<LaneTask>[] {
    this.lanes ??= Array.from({ length: this.config.queryLanes }, (_, lane) =>
      this.threads.pool<LaneTask>({
        name: `questions (${lane + 1})`,
        file: workerFile('./query-lane', import.meta.url),
        threads: 1,
        data: {
          data: this.config.data,
          cacheBytes: Math.floor(this.config.cacheBytes / this.config.queryLanes),
        },
        limit: LIMIT_MS,
        last: { task: 'close' },
      }),
    );
    return this.lanes;
  }
}

async function run(lane: WorkerPool<LaneTask>, task: LaneTask, effort?: Effort): Promise<unknown> {
  const answer = await lane.run<LaneAnswer>(task);
  if ('gone' in answer) throw new SegmentGoneError(answer.gone);
  if ('broken' in answer) throw new BrokenBlockError(answer.broken);
  if (effort) {
    effort.segments += answer.effort.segments;
    effort.blocks += answer.effort.blocks;
    effort.bytes += answer.effort.bytes;
    effort.broken.push(...answer.effort.broken);
    effort.brokenChunks += answer.effort.brokenChunks;
  }
  return answer.value;
}
