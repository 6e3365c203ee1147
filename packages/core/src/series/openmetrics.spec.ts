import fc from 'fast-check';
import { pointsIn } from '../testing/points.js';
import { readOpenMetrics } from './openmetrics.js';

const ARRIVAL = 1_772_474_400_000_000;
const read = (text: string, labels?: Record<string, string>) => {
  const found = readOpenMetrics(text, ARRIVAL, labels);
  const { exemplars, rejected, reason } = found;
  return { points: pointsIn(found), exemplars, rejected, reason };
};

describe('OpenMetrics text', () => {
  it('is read with types, units, times and the requests behind numbers', () => {
    const { points, exemplars, rejected } = read(`# TYPE berth_wait_seconds histogram
# UNIT berth_wait_seconds seconds
berth_wait_seconds_bucket{quay="a",le="0.5"} 3 1772474400
berth_wait_seconds_bucket{quay="a",le="1.0"} 7 1772474400 # {trace_id="${'a'.repeat(32)}"} 0.8 1772474399.5
berth_wait_seconds_bucket{quay="a",le="+Inf"} 8 1772474400
berth_wait_seconds_sum{quay="a"} 6.25 1772474400
berth_wait_seconds_count{quay="a"} 8 1772474400
berth_wait_seconds_created{quay="a"} 1772470000 1772474400
# TYPE passes counter
passes_total{host="nest \\"1\\"",state="ok"} 17
# TYPE depth gauge
depth 4.5
# EOF
`);
    expect(rejected).toBe(0);
    expect(points).toEqual([
      {
        series: {
          metric: 'berth_wait_seconds',
          unit: 'seconds',
          kind: 'histogram',
          total: true,
          labels: { quay: 'a' },
        },
        at: 1_772_474_400_000_000,
        columns: { '-Infinity..0.5': 3, '0.5..1': 4, '1..Infinity': 1, sum: 6.25, count: 8 },
      },
      {
        series: {
          metric: 'passes_total',
          unit: '',
          kind: 'sum',
          total: true,
          labels: { host: 'nest "1"', state: 'ok' },
        },
        at: ARRIVAL,
        columns: { value: 17 },
      },
      {
        series: { metric: 'depth', unit: '', kind: 'gauge', total: false, labels: {} },
        at: ARRIVAL,
        columns: { value: 4.5 },
      },
    ]);
    expect(exemplars).toMatchObject([{ value: 0.8, trace: 'a'.repeat(32), at: 1_772_474_399_500_000 }]);
  });

  it('is read in its older form, which counts milliseconds', () => {
    const { points } = read(
      '# TYPE passes_total counter\npasses_total 5 1772474400000\nsome_value{a="b",} 2e3\n',
    );
    expect(points).toMatchObject([
      { series: { metric: 'passes_total', kind: 'sum' }, at: 1_772_474_400_000_000 },
      { series: { metric: 'some_value', kind: 'gauge', labels: { a: 'b' } }, columns: { value: 2000 } },
    ]);
  });

  it('takes what the sender declares for labels that are missing, under the names that all is joined by', () => {
    const { points } = read('up{service_name="gull"} 1\nup 1\n', { service: 'tern' });
    expect(points.map(({ series }) => series.labels)).toEqual([{ service: 'gull' }, { service: 'tern' }]);
  });

  it('leaves out what can not be read, and says which line', () => {
    const { points, rejected, reason } = read('good 1\nbad one two\n{x="1"} 3\nalso{a="1 4\nnan NaN\n');
    expect(points.map(({ series }) => series.metric)).toEqual(['good']);
    expect(rejected).toBe(3);
    expect(reason).toContain('Line 2');
  });

  it('never breaks, whatever comes', () => {
    const piece = fc.constantFrom(
      'a',
      '{',
      '}',
      '"',
      '=',
      '#',
      ' ',
      '1',
      ',',
      '\\',
      '\n',
      'le',
      '_bucket',
      '# TYPE a histogram\n',
      'NaN',
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 40 }), (pieces) => {
        const { points } = read(pieces.join(''));
        for (const { columns } of points) {
          expect(columns).not.toEqual({});
          for (const value of Object.values(columns)) expect(Number.isFinite(value)).toBe(true);
        }
      }),
    );
  });

  it.each(['NaN', '+Inf', '-Inf', '1e300', '-5', '99999999999'])(
    'refuses a measurement made at %s',
    (time) => {
      const read = readOpenMetrics(`w 1 ${time}\nw 2 1772474400\n# EOF\n`, 0);
      expect(read.rejected).toBe(1);
      expect(read.reason).toContain('Line 1');
      expect([...read.series.values()].flatMap(({ times }) => times)).toEqual([1_772_474_400_000_000]);
    },
  );
});
