/** Lengths of steps that divide minutes, hours and days, as the expression writes them, in milliseconds. */
const STEPS: [text: string, millis: number][] = [
  ['100ms', 100],
  ['1s', 1000],
  ['5s', 5000],
  ['10s', 10_000],
  ['30s', 30_000],
  ['1m', 60_000],
  ['5m', 300_000],
  ['10m', 600_000],
  ['30m', 1_800_000],
  ['1h', 3_600_000],
  ['3h', 10_800_000],
  ['12h', 43_200_000],
  ['1d', 86_400_000],
];
const WANTED = 60;

/** A length of step that cuts a stretch of time into about sixty. */
export function stepFor({ from, to }: { from: number; to: number }): string {
  const wanted = (to - from) / WANTED;
  return (STEPS.find(([, millis]) => millis >= wanted) ?? STEPS.at(-1)!)[0];
}

/** Steps to begin with: what they are called, and how they are written. */
export function presetSteps(every: string): { label: string; steps: string }[] {
  return [
    { label: 'records over time', steps: `count every ${every}` },
    { label: 'by level over time', steps: `count by level every ${every}` },
    { label: 'by service over time', steps: `count by service every ${every}` },
    { label: 'by service', steps: 'count by service' },
    { label: 'by pattern', steps: 'count by pattern then top 20' },
    { label: 'by hour of the day', steps: 'count by hour(time)' },
  ];
}

/** A filter with steps behind it. */
export const withSteps = (scope: string, steps: string): string => `${scope} then ${steps}`.trim();
