import type { OnsetGroupBody, OnsetsSearchAnswer } from '@flail/contract';
import { onsetGroup as group } from '../testing/moved.js';
import { onsetsFinding, sizeText, valueOf, withinText } from './sentences.js';

const answer = (groups: OnsetGroupBody[]): OnsetsSearchAnswer => ({
  groups,
  origins: groups.map((_, at) => ({ group: at, role: 'open', reasons: [] })),
  changes: [],
  depends: [],
  scanned: 422,
});

describe('what is said of onsets', () => {
  it('names the likeliest origin, and says when time does not tell it from the next', () => {
    expect(onsetsFinding(answer([group('store', 1), group('lease', 7)]))).toMatch(
      /^2 measures of 422 series left the normal\. The likeliest to have begun it is store, operations, at \d\d:01\.$/,
    );
    expect(onsetsFinding(answer([group('store', 1), group('lease', 2)]))).toContain(
      'time does not tell which was first',
    );
    expect(
      onsetsFinding(answer([group('store', 1, { within: 10 }), group('lease', 2, { within: 10 })])),
    ).not.toContain('time does not tell');
    expect(onsetsFinding(answer([]))).toBe('Nothing left its normal range, of 422 series looked at.');
  });

  it('says how exactly a beginning is told', () => {
    expect(withinText({ within: 60 })).toBe('give or take a minute');
    expect(withinText({ within: 10 })).toBe('give or take 10 s');
  });

  it.each([
    [26, 2.6, 'above', '10 times'],
    [3.2, 2.6, 'above', '23% more'],
    [1.3, 2.6, 'below', '50% less'],
    [0, 2.6, 'below', 'to nothing'],
    [5, 0, 'above', 'from nothing'],
    [41, -0.002, 'above', 'higher'],
    [-3, 2, 'below', 'lower'],
  ] as const)('%d against %d is %s: %s', (value, usual, side, text) => {
    expect(sizeText({ value, usual, side })).toBe(text);
  });

  it('gives both figures with their unit', () => {
    expect(valueOf({ value: 0.56, usual: 0.001, unit: 'share' })).toBe('56%, usual 0.1%');
  });
});
