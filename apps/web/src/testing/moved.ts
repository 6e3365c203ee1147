import type { ChangeBody, OnsetGroupBody } from '@flail/contract';

const at = (minute: number): string => `2026-03-02T18:${String(minute).padStart(2, '0')}:00Z`;

/** A group of the ladder that began in a minute of the hour. */
export const onsetGroup = (
  service: string,
  minute: number,
  more: Partial<OnsetGroupBody> = {},
): OnsetGroupBody => ({
  measure: 'operations',
  kind: 'load',
  unit: '/s',
  service,
  side: 'above',
  onset: at(minute),
  within: 60,
  end: at(40),
  goesOn: true,
  value: 26,
  usual: 2.6,
  spreads: 40,
  members: [],
  source: { of: 'metric', metric: 'operations' },
  ...more,
});

/** A change that was made in a minute of the hour. */
export const changeAt = (id: string, minute: number, more: Partial<ChangeBody> = {}): ChangeBody => ({
  id,
  source: '/deploy',
  time: at(minute),
  kind: 'configuration',
  title: `pool ${id}`,
  entity: { service: 'nest' },
  details: {},
  ...more,
});
