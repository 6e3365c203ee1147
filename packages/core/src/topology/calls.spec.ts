import { ARRIVAL, MemoryStore } from '../testing/memory-store.js';
import { callsOf, type SpanPart, spanParts } from './calls.js';

const part = (service: string, span: string, more: Partial<SpanPart> = {}): SpanPart => ({
  service,
  span,
  parent: '',
  peer: '',
  failed: false,
  seconds: 1,
  weight: 1,
  ...more,
});

describe('calls', () => {
  it('are told from parents of another service', () => {
    const spans = [
      part('edge', '1'),
      part('edge', '2', { parent: '1' }),
      part('gull', '3', { parent: '2', failed: true, seconds: 0.5 }),
      part('tern', '4', { parent: '3' }),
      part('tern', '5', { parent: '3' }),
      part('auk', '6', { parent: 'unknown' }),
    ];
    expect(callsOf(spans)).toEqual([
      { from: 'gull', to: 'tern', calls: 2, failed: 0, seconds: 2, p95: 1 },
      { from: 'edge', to: 'gull', calls: 1, failed: 1, seconds: 0.5, p95: 0.5 },
    ]);
  });

  it('of those that record no spans are told by whom was asked', () => {
    const spans = [
      part('gull', '1'),
      part('gull', '2', { parent: '1', peer: 'nest', seconds: 0.25 }),
      // This one answers with a span of its own, under another name.
      part('gull', '3', { parent: '1', peer: 'tern.local' }),
      part('tern', '4', { parent: '3' }),
    ];
    expect(callsOf(spans)).toEqual([
      { from: 'gull', to: 'nest', calls: 1, failed: 0, seconds: 0.25, p95: 0.25 },
      { from: 'gull', to: 'tern', calls: 1, failed: 0, seconds: 1, p95: 1 },
    ]);
  });

  it('count for those of which no span was kept', () => {
    const spans = [
      part('edge', '1', { weight: 8 }),
      part('gull', '2', { parent: '1', weight: 8, seconds: 0.5 }),
    ];
    expect(callsOf(spans)).toEqual([{ from: 'edge', to: 'gull', calls: 8, failed: 0, seconds: 4, p95: 0.5 }]);
  });

  it('are read from the spans of a window', async () => {
    const store = new MemoryStore();
    const line = (second: number, more: object): string =>
      JSON.stringify({ time: new Date(ARRIVAL / 1000 + second * 1000).toISOString(), text: 'fly', ...more });
    store.take(
      [
        line(0, { service: 'edge', span: 'a1', duration: '20.000000ms', status: 'unset' }),
        line(1, {
          service: 'gull',
          span: 'b1',
          parent: 'a1',
          duration: '5.500000ms',
          status: 'error',
          'sampling.one_in': 3,
        }),
        line(90, { service: 'gull', span: 'c1', parent: 'a1', duration: '5.500000ms', status: 'unset' }),
      ].join('\n'),
      { format: 'json' },
    );
    const [view] = store.views();
    const parts = await spanParts(view!, { from: ARRIVAL, to: ARRIVAL + 60_000_000 });
    expect(parts).toHaveLength(2);
    expect(callsOf(parts)).toEqual([
      {
        from: 'edge',
        to: 'gull',
        calls: 3,
        failed: 3,
        seconds: expect.closeTo(0.0165) as number,
        p95: 0.0055,
      },
    ]);
    expect(await spanParts(view!, { from: 0, to: 1 })).toEqual([]);
  });
});
