import { FOLDING_ERROR, foldingFails, libraryVersion } from '../episodes/combining-marks.js';
import { IMPORT_MINUTES, importFate, LOCK_FILE } from '../episodes/lock-file.js';
import { isOn, type Placement, type Placements } from '../episodes/placement.js';
import { SETTLEMENT_LENGTH, SETTLEMENT_MINUTE } from '../episodes/settlement-lock.js';
import { HOUR, isoTime, MINUTE, SECOND, simulatedTime } from '../world/clock.js';
import { type Instance, INSTANCES, PORTS } from '../world/company.js';
import { type Fields, type Level, type Line, say } from '../world/line.js';
import type { Random } from '../world/random.js';
import type { RunEvent } from '../world/signals.js';

/** What the jobs need to know of the world. */
export interface JobWorld {
  anchor: number;
  episodes: Placements;
  /** Runs that somebody had the scheduler try again. */
  retries?: readonly Retry[];
}

/** A run that is tried again. */
export interface Retry {
  /** The run that went wrong. */
  of: string;
  due: number;
}

type Facets = Record<string, unknown>;
type Story = { lines: Line[]; runs: RunEvent[] };

/** One run of a job, told as it goes. */
class RunStory {
  readonly story: Story = { lines: [], runs: [] };
  now: number;

  constructor(
    readonly id: string,
    private readonly job: string,
    private readonly due: number,
    private readonly from: Instance,
    parameters: Record<string, string>,
    trigger = 'schedule',
  ) {
    this.now = due;
    this.tell('OTHER', {
      flail_state: { state: 'waiting', trigger },
      nominalTime: { nominalStartTime: isoTime(due) },
      flail_entity: { service: from.service, instance: from.name, host: from.host, site: from.site },
      flail_parameters: { parameters },
    });
  }

  tell(type: RunEvent['type'], facets: Facets = {}): void {
    this.story.runs.push({ runId: this.id, job: this.job, at: this.now, type, facets });
  }

  say(level: Level, text: string, fields: Fields = {}): void {
    this.story.lines.push(say(this.from, this.now, level, text, { ...fields, run: this.id }));
  }

  work(milliseconds: number): void {
    this.now += milliseconds;
  }

  starting(): void {
    this.work(300);
    this.tell('OTHER', { flail_state: { state: 'starting' } });
  }

  running(workers: readonly string[]): void {
    this.work(900);
    this.tell('START', {
      flail_workers: {
        workers: workers.map((name) => ({ name, host: this.from.host, from: isoTime(this.now) })),
      },
    });
  }

  step(name: string, after: readonly string[], took: number, worker: string, error?: string): void {
    const from = isoTime(this.now);
    this.work(took);
    const state = error === undefined ? 'done' : 'failed';
    this.tell('RUNNING', {
      flail_steps: {
        steps: [
          { name, after, from, to: isoTime(this.now), worker, state, ...(error !== undefined && { error }) },
        ],
      },
    });
  }

  end(
    type: 'COMPLETE' | 'FAIL' | 'ABORT',
    records: [read: number, written: number],
    facets: Facets = {},
  ): Story {
    this.work(200);
    const seconds = (this.now - this.due) / 1000;
    this.tell(type, {
      flail_usage: {
        cpuSeconds: Number((seconds * 0.6).toFixed(2)),
        memoryBytes: 90_000_000 + records[0] * 1800,
        recordsIn: records[0],
        recordsOut: records[1],
      },
      ...facets,
    });
    return this.story;
  }
}

const minuteOf = (at: number): number => Math.floor(at / MINUTE);
const pickOf = (service: string, random: Random): Instance => random.pick(INSTANCES.get(service)!);

function manifestExport(
  due: number,
  port: string,
  random: Random,
  { episodes }: JobWorld,
  again?: { id: string; trigger: string },
): Story {
  const version = libraryVersion(episodes, due);
  const run = new RunStory(
    again?.id ?? `me-${minuteOf(due)}-${port}`,
    'manifest-export',
    due,
    pickOf('manifest-writer', random),
    { port, library_version: version },
    again?.trigger,
  );
  run.work(random.between(1, 30) * SECOND);
  run.starting();
  run.running(['export-1']);
  const records = random.whole(400) + 3;
  run.step('read', [], random.duration(2600), 'export-1');
  if (foldingFails(episodes, due, port, random)) {
    run.work(random.duration(700));
    run.say(
      'ERROR',
      [
        `${FOLDING_ERROR.type}: ${FOLDING_ERROR.message}`,
        ...FOLDING_ERROR.frames.map((frame) => `\t${frame}`),
      ].join('\n'),
    );
    run.step('encode', ['read'], 40, 'export-1', FOLDING_ERROR.message);
    const error = {
      errorMessage: {
        message: `${FOLDING_ERROR.type}: ${FOLDING_ERROR.message}`,
        programmingLanguage: 'JAVA',
        stackTrace: FOLDING_ERROR.frames.join('\n'),
      },
    };
    if (random.chance(0.5)) return run.end('FAIL', [records, 0], error);
    const left = 1 + random.whole(3);
    run.say('WARN', `manifest for ${port} tried again without ${left} names`);
    run.step('encode', ['read'], random.duration(1700), 'export-1');
    run.step('write', ['encode'], random.duration(1900), 'export-1');
    return run.end('COMPLETE', [records, records - left], {
      flail_state: { state: 'done with errors' },
      ...error,
    });
  }
  run.step('encode', ['read'], random.duration(1700), 'export-1');
  run.step('write', ['encode'], random.duration(1900), 'export-1');
  run.say('INFO', `manifest for ${port} written, ${records} passengers, ${(records * 0.41).toFixed(1)}kB`);
  return run.end('COMPLETE', [records, records]);
}

const importId = (due: number): string => `ti-${minuteOf(due)}`;

/** The import that hangs at a moment of its episode, once it is due. */
export function stuckImport({ start }: Placement, at: number): string | undefined {
  const every = IMPORT_MINUTES * MINUTE;
  const due = (Math.floor(start / every) + 1) * every;
  return at > due ? importId(due) : undefined;
}

function tideImport(due: number, random: Random, { episodes }: JobWorld): Story {
  const fate = importFate(episodes, due);
  const from = INSTANCES.get('tide-feed')![0]!;
  const before = due - IMPORT_MINUTES * MINUTE;
  if (fate === 'skipped') {
    const text = 'import not started, the one before has not ended';
    return { lines: [say(from, due + SECOND, 'WARN', text, { job: 'tide-import' })], runs: [] };
  }
  const run = new RunStory(importId(due), 'tide-import', due, from, { stations: '14' });
  run.work(random.between(0.5, 4) * SECOND);
  run.starting();
  if (fate === 'stuck') {
    run.work(700);
    run.say('INFO', `lock file ${LOCK_FILE} is held by run ${importId(before)}, waiting for it`);
    return run.story;
  }
  run.running(['import-1']);
  const records = 14 * (6 + random.whole(3));
  run.step('fetch', [], random.duration(3400), 'import-1');
  if (fate === 'stopped') {
    run.say('WARN', 'import stopped on request', { by: 'm.tern' });
    return run.end('ABORT', [records, 0]);
  }
  run.step('check', ['fetch'], random.duration(600), 'import-1');
  run.step('store', ['check'], random.duration(1500), 'import-1');
  run.say('INFO', 'import complete', { records, took: `${((run.now - due) / 1000).toFixed(1)}s` });
  return run.end('COMPLETE', [records, records]);
}

function passSettlement(due: number, random: Random, { episodes }: JobWorld): Story {
  const lock = isOn(episodes.E5, due) ? 'table' : 'rows';
  const run = new RunStory(
    `ps-${minuteOf(due)}`,
    'pass-settlement',
    due,
    INSTANCES.get('boarding-api')![0]!,
    { lock, table: 'fares' },
  );
  run.work(2 * SECOND);
  run.starting();
  run.running(['settle-1', 'settle-2']);
  const records = 300 + random.whole(500);
  const length = SETTLEMENT_LENGTH - (run.now - due);
  run.step('collect', [], length * 0.3, 'settle-1');
  run.step('settle', ['collect'], length * 0.55, 'settle-2');
  run.step('report', ['settle'], length * 0.1, 'settle-1');
  run.say('INFO', `settled ${records} passes`, { took_ms: Math.round(run.now - due) });
  return run.end('COMPLETE', [records, records]);
}

/** The nightly rebuild: six steps, some side by side. */
function fareTableRebuild(due: number, random: Random): Story {
  const run = new RunStory(
    `fr-${minuteOf(due)}`,
    'fare-table-rebuild',
    due,
    INSTANCES.get('fare-quoter')![0]!,
    { partitions: '256' },
  );
  run.work(4 * SECOND);
  run.starting();
  run.running(['rebuild-1', 'rebuild-2', 'rebuild-3']);
  const steps: [name: string, after: string[], seconds: number, worker: string][] = [
    ['extract', [], 40, 'rebuild-1'],
    ['prices', ['extract'], 55, 'rebuild-2'],
    ['concessions', ['extract'], 30, 'rebuild-3'],
    ['join', ['prices', 'concessions'], 35, 'rebuild-1'],
    ['check', ['join'], 15, 'rebuild-2'],
    ['publish', ['check'], 20, 'rebuild-1'],
  ];
  for (const [name, after, seconds, worker] of steps) {
    run.step(name, after, random.duration(seconds * SECOND, 0.15), worker);
    run.say('INFO', `step ${name} done on ${worker}`, { step: name });
  }
  return run.end('COMPLETE', [256 * 40, 256 * 40]);
}

const REBUILD_HOUR = 3;
/** No run but those that hang takes longer than this. */
const LONGEST = 6 * MINUTE;

/** Runs that are due in a minute. */
function storiesDue(due: number, random: Random, world: JobWorld): Story[] {
  const minuteOfDay = Math.floor(simulatedTime(due, world.anchor).hour * 60 + 1e-6);
  const stories: Story[] = [];
  if (minuteOfDay % 15 === 0)
    for (const port of PORTS) stories.push(manifestExport(due, port, random.fork(port), world));
  if (minuteOf(due) % IMPORT_MINUTES === 0) stories.push(tideImport(due, random.fork('tide'), world));
  if (minuteOf(due) % (HOUR / MINUTE) === SETTLEMENT_MINUTE)
    stories.push(passSettlement(due, random.fork('settle'), world));
  if (minuteOfDay === REBUILD_HOUR * 60 + 10) stories.push(fareTableRebuild(due, random.fork('rebuild')));
  return stories;
}

/** The id under which a run is tried again. */
export const retryId = ({ of, due }: Retry): string => `${of}-again-${minuteOf(due)}`;

/** A run that is tried again goes as it must: what made it fail may still be there. */
function retried(retry: Retry, random: Random, world: JobWorld): Story {
  const port = portOf(retry.of);
  if (port === undefined) return { lines: [], runs: [] };
  const again = { id: retryId(retry), trigger: `retry of ${retry.of}` };
  return manifestExport(retry.due, port, random.fork(again.id), world, again);
}

/** The port that an export was for; undefined for runs of other jobs, which are not tried again. */
const portOf = (runId: string): string | undefined =>
  PORTS.find((port) => runId.startsWith('me-') && runId.includes(`-${port}`));

/** Runs of a stretch of time that failed and can be tried again, the newest first. */
export function failedRuns(from: number, to: number, world: JobWorld, random: Random): RunEvent[] {
  const failed: RunEvent[] = [];
  for (let due = Math.floor(from / MINUTE) * MINUTE; due < to; due += MINUTE)
    for (const { runs } of storiesDue(due, random.fork(minuteOf(due)), world))
      failed.push(...runs.filter(({ type, at, runId }) => type === 'FAIL' && at < to && portOf(runId)));
  return failed.reverse();
}

/** The run that hangs is stopped when its episode ends. */
function stopHanging(start: number, { E6 }: Placements, all: Story): void {
  if (!E6 || E6.end < start || E6.end >= start + MINUTE) return;
  const runId = stuckImport(E6, E6.end);
  if (runId === undefined) return;
  const from = INSTANCES.get('tide-feed')![0]!;
  all.runs.push({ runId, job: 'tide-import', at: E6.end, type: 'ABORT', facets: {} });
  all.lines.push(say(from, E6.end, 'WARN', 'import stopped on request', { by: 'scheduler', run: runId }));
}

/** What jobs do in a minute, whenever their runs began. */
export function jobsOf(start: number, world: JobWorld, random: Random): Story {
  const all: Story = { lines: [], runs: [] };
  stopHanging(start, world.episodes, all);
  const within = ({ at }: { at: number }): boolean => at >= start && at < start + MINUTE;
  for (let due = start - LONGEST; due <= start; due += MINUTE) {
    for (const { lines, runs } of storiesDue(due, random.fork(minuteOf(due)), world)) {
      all.lines.push(...lines.filter(within));
      all.runs.push(...runs.filter(within));
    }
  }
  for (const retry of world.retries ?? []) {
    if (retry.due > start || retry.due < start - LONGEST) continue;
    const { lines, runs } = retried(retry, random, world);
    all.lines.push(...lines.filter(within));
    all.runs.push(...runs.filter(within));
  }
  return all;
}
