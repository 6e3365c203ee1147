import type { PatternsSearchAnswer, PatternSummary } from '@flail/contract';

/** A pattern as it is listed. */
export const patternRow = (id: string, text: string, own: Partial<PatternSummary> = {}): PatternSummary => ({
  id,
  sentence: [{ text }],
  focus: 40,
  baseline: 10,
  earlier: 100,
  expected: 10,
  change: 'more',
  lift: 4,
  surprise: 12,
  level: 'warn',
  services: ['berth-allocator'],
  firstSeen: '2026-03-02T18:01:00Z',
  lastSeen: '2026-03-02T18:39:00Z',
  trend: [1, 2, 3],
  baselineTrend: [1, 1, 1],
  ...own,
});

/** The answer that lists patterns. */
export function patternsAnswer(
  patterns: PatternSummary[],
  own: Partial<PatternsSearchAnswer> = {},
): PatternsSearchAnswer {
  const none = { 'first seen': 0, 'new here': 0, ceased: 0, more: 0, less: 0, 'as before': 0 };
  const changes = { ...none };
  for (const { change } of patterns) changes[change]++;
  const records = Object.fromEntries(
    Object.keys(none).map((change) => {
      const of = patterns.filter((row) => row.change === change);
      const sum = (side: 'focus' | 'baseline'): number => of.reduce((all, row) => all + row[side], 0);
      return [change, { focus: sum('focus'), baseline: sum('baseline') }];
    }),
  ) as PatternsSearchAnswer['changedRecords'];
  const sum = (side: 'focus' | 'baseline'): number => patterns.reduce((all, row) => all + row[side], 0);
  return {
    patterns,
    total: patterns.length,
    matched: { focus: sum('focus'), baseline: sum('baseline') },
    changes,
    changedRecords: records,
    grain: { patterns: patterns.length, own: patterns.length },
    muted: { patterns: 0, focus: 0 },
    ...own,
  };
}
