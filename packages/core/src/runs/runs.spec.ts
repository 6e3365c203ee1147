import fc from 'fast-check';
import { NoRunEventError, runEventOf, runOf } from './open-lineage.js';

const at = (second: number): string => new Date(Date.UTC(2026, 2, 2, 18, 0, second)).toISOString();
const event = (
  second: number,
  eventType: string | undefined,
  facets: object = {},
  more: object = {},
): object => ({
  ...(eventType !== undefined && { eventType }),
  eventTime: at(second),
  run: { runId: 'r-1', facets },
  job: { namespace: 'quay', name: 'count-gulls' },
  producer: 'urn:test',
  schemaURL: 'urn:test',
  ...more,
});
const micros = (second: number): number => Date.parse(at(second)) * 1000;

const story = [
  event(0, 'OTHER', { flail_state: { state: 'waiting', trigger: 'schedule' } }),
  event(5, 'START', {
    flail_state: { state: 'starting' },
    flail_parameters: { parameters: { quay: 'north', limit: 5 } },
    flail_entity: { service: 'counter', host: 'nest-1' },
    parent: { run: { runId: 'r-0' }, job: { namespace: 'quay', name: 'all' } },
    nominalTime: { nominalStartTime: at(0) },
  }),
  event(8, 'RUNNING', {
    flail_steps: {
      steps: [
        { name: 'read', state: 'running', from: at(8), worker: 'w1' },
        { name: 'write', state: 'waiting', after: ['read'] },
      ],
    },
    flail_workers: { workers: [{ name: 'w1', host: 'nest-1', from: at(8) }] },
  }),
  event(
    20,
    'FAIL',
    {
      errorMessage: { message: 'no gulls', stackTrace: 'at x', programmingLanguage: 'none' },
      flail_steps: { steps: [{ name: 'read', state: 'failed', to: at(19), error: 'no gulls' }] },
      flail_usage: { cpuSeconds: 3.5, memoryBytes: 1e6, recordsIn: 12, recordsOut: 0 },
    },
    { inputs: [{ namespace: 'cliff', name: 'gulls' }], outputs: [] },
  ),
];

describe('a run', () => {
  it('is put together from its events', () => {
    expect(runOf(story.map(runEventOf))).toEqual({
      id: 'r-1',
      namespace: 'quay',
      job: 'count-gulls',
      state: 'failed',
      states: [
        { state: 'waiting', at: micros(0) },
        { state: 'starting', at: micros(5) },
        { state: 'running', at: micros(8) },
        { state: 'failed', at: micros(20) },
      ],
      from: micros(0),
      to: micros(20),
      parent: { id: 'r-0', job: 'all' },
      trigger: 'schedule',
      nominal: micros(0),
      parameters: { quay: 'north', limit: '5' },
      steps: [
        {
          name: 'read',
          state: 'failed',
          after: [],
          from: micros(8),
          to: micros(19),
          worker: 'w1',
          error: 'no gulls',
        },
        { name: 'write', state: 'waiting', after: ['read'] },
      ],
      workers: [{ name: 'w1', host: 'nest-1', from: micros(8) }],
      usage: { cpuSeconds: 3.5, memoryBytes: 1e6, recordsIn: 12, recordsOut: 0 },
      inputs: ['cliff/gulls'],
      outputs: [],
      error: { message: 'no gulls', stack: 'at x' },
      entity: { service: 'counter', host: 'nest-1' },
    });
  });

  it('is the same in whatever order its events come, and however often', () => {
    const expected = runOf(story.map(runEventOf));
    fc.assert(
      fc.property(fc.shuffledSubarray([...story, ...story], { minLength: 8, maxLength: 8 }), (events) => {
        expect(runOf(events.map(runEventOf))).toEqual(expected);
      }),
    );
  });

  it.each([
    ['COMPLETE', {}, 'done'],
    ['COMPLETE', { flail_state: { state: 'done with errors' } }, 'done with errors'],
    ['ABORT', {}, 'stopped'],
    ['FAIL', {}, 'failed'],
  ])('ends by %s %j as %s, and stays so', (type, facets, state) => {
    const run = runOf([event(1, 'START'), event(2, type, facets), event(9, 'RUNNING')].map(runEventOf));
    expect(run.state).toBe(state);
    expect(run.to).toBe(micros(2));
  });

  it('without a known end goes on', () => {
    const run = runOf([event(1, undefined), event(2, 'START')].map(runEventOf));
    expect(run.state).toBe('running');
    expect(run).not.toHaveProperty('to');
  });

  it.each([
    [5, 'is an object'],
    [event(0, 'EXPLODE'), 'no type of a run event'],
    [{ ...event(0, 'START'), eventTime: 'soon' }, 'eventTime'],
    [{ ...event(0, 'START'), run: {} }, 'run.runId'],
    [{ ...event(0, 'START'), job: { name: '' } }, 'job.name'],
  ])('is not made of %j', (bad, why) => {
    expect(() => runEventOf(bad)).toThrow(NoRunEventError);
    expect(() => runEventOf(bad)).toThrow(why);
  });
});
