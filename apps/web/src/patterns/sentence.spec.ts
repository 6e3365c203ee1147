import type { PatternsSearchAnswer } from '@flail/contract';
import { patternFinding } from './sentence.js';

const none = { focus: 0, baseline: 0 };
const answer = (changes: Partial<PatternsSearchAnswer['changes']>): PatternsSearchAnswer => ({
  patterns: [],
  total: 12,
  matched: { focus: 3400, baseline: 3000 },
  grain: { patterns: 12, own: 12 },
  muted: { patterns: 0, focus: 0 },
  changedRecords: {
    'first seen': none,
    'new here': none,
    ceased: none,
    more: none,
    less: none,
    'as before': none,
  },
  changes: { 'first seen': 0, 'new here': 0, ceased: 0, more: 0, less: 0, 'as before': 0, ...changes },
});

describe('the finding above the patterns', () => {
  it('says what changed, and no more', () => {
    expect(patternFinding(answer({ 'first seen': 2, more: 1, ceased: 1 }), true)).toBe(
      '3,400 records in 12 patterns. 2 never seen before, 1 grew and 1 ceased; the others run as before.',
    );
    expect(patternFinding({ ...answer({}), matched: none }, true)).toBe(
      'No record in the focus, and none in the baseline.',
    );
    expect(patternFinding(answer({}), true)).toContain('Nothing new here');
    expect(patternFinding(answer({ 'first seen': 2 }), false)).toContain(
      'Without a baseline nothing can be said',
    );
  });
});
