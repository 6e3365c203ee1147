import type { ChangeBody } from '@flail/contract';
import { flagsOf } from './flags.js';

const change = (second: number): ChangeBody => ({
  id: String(second),
  source: '/s',
  time: new Date(Date.UTC(2026, 2, 2, 18, 0, second)).toISOString(),
  kind: 'deployment',
  title: `change ${second}`,
  entity: {},
  details: null,
});
const seconds = (moment: number): number => (moment - Date.UTC(2026, 2, 2, 18)) / 1000;

describe('flags', () => {
  it('stand where their change does, the nearest ones together', () => {
    const flags = flagsOf([change(50), change(0), change(5), change(30)], seconds);
    expect(flags.map(({ at, changes }) => [at, changes.map(({ id }) => id)])).toEqual([
      [0, ['0', '5']],
      [30, ['30']],
      [50, ['50']],
    ]);
  });

  it('come apart when the timeband is looked at more closely', () => {
    expect(flagsOf([change(0), change(5)], (moment) => seconds(moment) * 4)).toHaveLength(2);
  });
});
