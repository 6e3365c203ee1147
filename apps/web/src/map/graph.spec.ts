import { callsOf as call } from '../testing/calls.js';
import { graphOf, instancesOf, mapFinding, sharesOf, wayFinding } from './graph.js';

const entity = (service: string) => ({ service, records: 1 });

describe('the map', () => {
  const focus = {
    entities: [entity('edge'), entity('planner')],
    calls: [call('edge', 'planner', 100, 40), call('planner', 'lease', 90, 45), call('planner', 'db', 90)],
  };
  const baseline = { entities: [], calls: [call('edge', 'planner', 80), call('edge', 'old', 3)] };

  it('holds the calls of both windows, and jobs', () => {
    const graph = graphOf(focus, baseline, [
      { job: 'export', entity: { service: 'planner' }, state: 'failed' },
      { job: 'export', entity: { service: 'planner' }, state: 'done' },
      { job: 'nowhere', entity: {}, state: 'done' },
    ]);
    expect(graph.nodes.map(({ name, kind, layer }) => [name, kind, layer])).toEqual([
      ['db', 'service', 2],
      ['edge', 'service', 0],
      ['export', 'job', 0],
      ['lease', 'service', 2],
      ['old', 'service', 1],
      ['planner', 'service', 1],
    ]);
    expect(graph.calls.find(({ from }) => from === 'export')!.focus).toMatchObject({ calls: 2, failed: 1 });
    expect(graph.calls.find(({ to }) => to === 'old')!.focus).toBeUndefined();
  });

  it('names the last failing call on the way', () => {
    expect(mapFinding(graphOf(focus, baseline, []))).toBe(
      '2 kinds of call fail; the last on their way is planner → lease: 50% fail, 0% in the baseline.',
    );
    expect(mapFinding(graphOf(baseline, undefined, []))).toBe(
      'No more than 1.0% fail of any of 2 kinds of call.',
    );
    expect(mapFinding({ nodes: [], calls: [] })).toBe('No calls here.');
  });

  it('puts together what lines and spans tell of an instance', () => {
    const entities = [
      { service: 'gull', instance: 'gull-10', records: 2 },
      { service: 'gull', instance: 'gull-2', host: 'h1', site: 'cliff', records: 5 },
      { service: 'gull', instance: 'gull-10', host: 'h2', records: 3 },
      { service: 'gull', records: 9 },
    ];
    expect(instancesOf({ entities }, (service) => service === 'gull')).toEqual([
      { instance: 'gull-2', host: 'h1', site: 'cliff', records: 5 },
      { instance: 'gull-10', host: 'h2', records: 5 },
    ]);
  });
});

describe('the way of requests', () => {
  const way = {
    looked: 40,
    of: 40,
    calls: [
      { from: 'edge', to: 'planner', requests: 40, failed: 38 },
      { from: 'planner', to: 'allocator', requests: 39, failed: 38 },
      { from: 'allocator', to: 'store', requests: 10, failed: 0 },
      { from: 'edge', to: 'mail', requests: 1, failed: 1 },
    ],
  };

  it('is told with the last call on it that fails', () => {
    expect(wayFinding('failed', way)).toBe(
      'The way of 40 failing requests lies over 4 services; the last that fails on it is planner → allocator, in 95% of them.',
    );
    expect(wayFinding('all', { ...way, of: 900, calls: way.calls.slice(2, 3) })).toBe(
      'The way of 40 of 900 requests lies over 2 services.',
    );
    expect(wayFinding('slow', { looked: 0, of: 0, calls: [] })).toBe('No slow request here.');
    expect(wayFinding('all', { looked: 3, of: 3, calls: [] })).toBe(
      'Of 3 requests none calls another service.',
    );
  });

  it('lights calls by the share of requests that make them', () => {
    const share = sharesOf(way);
    expect(share({ from: 'allocator', to: 'store' })).toBe(0.25);
    expect(share({ from: 'store', to: 'allocator' })).toBe(0);
  });
});
