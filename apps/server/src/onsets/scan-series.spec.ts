import { Progress } from '../told/progress.js';
import { scanSeries } from './scan-series.js';
import type { TableRow } from './series-table.js';

const DAY = 1440;
const END = 2 * DAY;
const focus = { from: (END - 60) * 60_000_000, to: END * 60_000_000 };

/** A gauge of two days by the minute. */
const row = (measure: string, of: (at: number) => number, more: Partial<TableRow> = {}): TableRow => ({
  id: measure,
  drawn: { of: 'metric', metric: measure, labels: { service: 'nest' }, aggregate: 'avg' },
  measure,
  kind: 'load',
  unit: '1',
  service: 'nest',
  member: 'nest-1',
  series: { from: 0, step: 60, values: Float64Array.from({ length: END }, (_, at) => of(at)) },
  ...more,
});

const movedOf = async (table: TableRow[]) => (await scanSeries(table, focus, new Progress())).moved;

describe('a look through all series', () => {
  const beats = row('beats', () => 3, { always: true });

  it('tells what is measured all the time and went silent, and when', async () => {
    const gone = row('gone', (at) => (at >= END - 20 ? NaN : 5), { always: true });
    expect(await movedOf([beats, gone])).toMatchObject([
      {
        measure: 'gone',
        kind: 'availability',
        deviation: { silent: true, onset: (END - 20) * 60, goesOn: true },
      },
    ]);
  });

  it('takes it for no silence where what is counted as it happens does not happen', async () => {
    expect(await movedOf([beats, row('failures', (at) => (at >= END - 20 ? NaN : 0.1))])).toEqual([]);
  });

  it('takes it for no silence where nothing at all was measured later', async () => {
    const ended = (name: string): TableRow => row(name, (at) => (at >= END - 20 ? NaN : 5), { always: true });
    expect(await movedOf([ended('one'), ended('other')])).toEqual([]);
  });

  it('tells of a step, and of a slow climb towards a limit of the same labels', async () => {
    const noise = (at: number): number => ((at * 7919) % 13) / 13;
    const moved = await movedOf([
      row('queue', (at) => (at >= END - 30 ? 40 : 4) + noise(at)),
      row('pool.open', (at) => 20 + Math.max(0, at - (END - 900)) / 4 + noise(at)),
      row('pool.limit', () => 270),
    ]);
    expect(
      moved.map(({ measure, kind, deviation }) => [measure, kind, deviation.limitIn !== undefined]),
    ).toEqual([
      ['queue', 'load', false],
      ['pool.open', 'saturation', true],
    ]);
  });
});
