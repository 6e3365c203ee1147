import { isObject, type Unknown } from '../records/objects.js';
import { isMoment, MOMENTS_TEXT } from '../time/range.js';
import { isFinal, RUN_STATES, type Run, type RunState, type RunStep, type RunWorker } from './run.js';

const objectIn = (value: unknown, name: string): Unknown | undefined => {
  const found = isObject(value) ? value[name] : undefined;
  return isObject(found) ? found : undefined;
};
const textIn = (value: Unknown | undefined, name: string): string | undefined => {
  const found = value?.[name];
  return typeof found === 'string' && found !== '' ? found : undefined;
};
const numberIn = (value: Unknown | undefined, name: string): number | undefined => {
  const found = value?.[name];
  return typeof found === 'number' && Number.isFinite(found) ? found : undefined;
};
const listIn = (value: Unknown | undefined, name: string): Unknown[] => {
  const found = value?.[name];
  return Array.isArray(found) ? found.filter(isObject) : [];
};

/** An event that is none, and why. */
export class NoRunEventError extends Error {}

/** An event of a run that can be relied on. */
export interface RunEvent {
  runId: string;
  at: number;
  event: Unknown;
}

/** What the standard's event types say of the state, where no facet says it better. */
const STATE_OF: Record<string, RunState | undefined> = {
  START: 'running',
  RUNNING: 'running',
  COMPLETE: 'done',
  FAIL: 'failed',
  ABORT: 'stopped',
  OTHER: undefined,
};

/** Reads a run event as of OpenLineage. Throws on what is none. */
export function runEventOf(event: unknown): RunEvent {
  if (!isObject(event)) throw new NoRunEventError('An event is an object.');
  const type = textIn(event, 'eventType')?.toUpperCase();
  if (type !== undefined && !(type in STATE_OF))
    throw new NoRunEventError(
      `"${type}" is no type of a run event; there are ${Object.keys(STATE_OF).join(', ')}.`,
    );
  const at = microsOf(event.eventTime);
  if (at === undefined)
    throw new NoRunEventError(`The "eventTime" of an event is a moment in RFC 3339, ${MOMENTS_TEXT}.`);
  const runId = textIn(objectIn(event, 'run'), 'runId');
  if (runId === undefined) throw new NoRunEventError('An event has "run.runId".');
  if (textIn(objectIn(event, 'job'), 'name') === undefined)
    throw new NoRunEventError('An event has "job.name".');
  return { runId: runId.slice(0, 200), at, event };
}

function microsOf(value: unknown): number | undefined {
  const millis = typeof value === 'string' ? Date.parse(value) : NaN;
  return isMoment(millis * 1000) ? millis * 1000 : undefined;
}

/** Puts a run together from its events, whatever the order in which they came. */
export function runOf(events: readonly RunEvent[]): Run {
  const sorted = [...events].sort((a, b) => a.at - b.at || rank(a) - rank(b));
  const first = sorted[0]!;
  const run: Run = {
    id: first.runId,
    namespace: textIn(objectIn(first.event, 'job'), 'namespace') ?? '',
    job: textIn(objectIn(first.event, 'job'), 'name')!,
    state: 'waiting',
    states: [],
    from: first.at,
    parameters: {},
    steps: [],
    workers: [],
    usage: {},
    inputs: [],
    outputs: [],
    entity: {},
  };
  for (const { event, at } of sorted) take(run, event, at);
  return run;
}

/** Of events of one moment the final one comes last. */
const rank = ({ event }: RunEvent): number => {
  const state = stateOf(event);
  return state === undefined ? 0 : RUN_STATES.indexOf(state);
};

function stateOf(event: Unknown): RunState | undefined {
  const named = textIn(facetOf(event, 'flail_state'), 'state');
  if (named !== undefined && (RUN_STATES as readonly string[]).includes(named)) return named as RunState;
  return STATE_OF[textIn(event, 'eventType')?.toUpperCase() ?? 'OTHER'];
}

const facetOf = (event: Unknown, name: string): Unknown | undefined =>
  objectIn(objectIn(objectIn(event, 'run'), 'facets'), name);

function take(run: Run, event: Unknown, at: number): void {
  const state = stateOf(event);
  // What is over stays so: a late sign of life does not wake it.
  if (state !== undefined && state !== run.states.at(-1)?.state && !isFinal(run.state)) {
    run.states.push({ state, at });
    run.state = state;
    if (isFinal(state)) run.to = at;
  }
  const parent = facetOf(event, 'parent');
  const parentId = textIn(objectIn(parent, 'run'), 'runId');
  if (parentId !== undefined)
    run.parent = { id: parentId, job: textIn(objectIn(parent, 'job'), 'name') ?? '' };
  const nominal = microsOf(facetOf(event, 'nominalTime')?.nominalStartTime);
  if (nominal !== undefined) run.nominal = nominal;
  const failure = facetOf(event, 'errorMessage');
  const message = textIn(failure, 'message');
  if (message !== undefined) {
    const stack = textIn(failure, 'stackTrace');
    run.error = { message, ...(stack !== undefined && { stack }) };
  }
  const told = facetOf(event, 'flail_state');
  const trigger = textIn(told, 'trigger');
  if (trigger !== undefined) run.trigger = trigger;
  for (const [name, value] of Object.entries(
    objectIn(facetOf(event, 'flail_parameters'), 'parameters') ?? {},
  ))
    run.parameters[name] = typeof value === 'string' ? value : JSON.stringify(value);
  for (const name of ['service', 'instance', 'host', 'site'] as const) {
    const value = textIn(facetOf(event, 'flail_entity'), name);
    if (value !== undefined) run.entity[name] = value;
  }
  const usage = facetOf(event, 'flail_usage');
  for (const name of ['cpuSeconds', 'memoryBytes', 'recordsIn', 'recordsOut'] as const) {
    const value = numberIn(usage, name);
    if (value !== undefined) run.usage[name] = value;
  }
  for (const step of listIn(facetOf(event, 'flail_steps'), 'steps')) takeStep(run, step);
  for (const worker of listIn(facetOf(event, 'flail_workers'), 'workers')) takeWorker(run, worker);
  for (const list of ['inputs', 'outputs'] as const) {
    for (const { namespace, name } of listIn(event, list)) {
      const full = [namespace, name].filter((part) => typeof part === 'string').join('/');
      if (full !== '' && !run[list].includes(full)) run[list].push(full);
    }
  }
}

function takeStep(run: Run, told: Unknown): void {
  const name = textIn(told, 'name');
  if (name === undefined) return;
  let step = run.steps.find((own) => own.name === name);
  if (!step) run.steps.push((step = { name, state: 'waiting', after: [] }));
  const state = textIn(told, 'state');
  if (state !== undefined && (RUN_STATES as readonly string[]).includes(state))
    step.state = state as RunState;
  if (Array.isArray(told.after)) step.after = told.after.filter((one) => typeof one === 'string');
  Object.assign(step, timesOf(told), textsOf(told, ['worker', 'error'] satisfies (keyof RunStep)[]));
}

function takeWorker(run: Run, told: Unknown): void {
  const name = textIn(told, 'name');
  if (name === undefined) return;
  let worker = run.workers.find((own) => own.name === name);
  if (!worker) run.workers.push((worker = { name }));
  Object.assign(worker, timesOf(told), textsOf(told, ['host'] satisfies (keyof RunWorker)[]));
}

function timesOf(told: Unknown): { from?: number; to?: number } {
  const from = microsOf(told.from);
  const to = microsOf(told.to);
  return { ...(from !== undefined && { from }), ...(to !== undefined && { to }) };
}

const textsOf = (told: Unknown, names: readonly string[]): Record<string, string> =>
  Object.fromEntries(
    names.flatMap((name) => {
      const value = textIn(told, name);
      return value === undefined ? [] : [[name, value]];
    }),
  );
