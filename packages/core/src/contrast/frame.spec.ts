import { topFrame } from './frame.js';
import { verdictOf } from './verdict.js';

describe('the frame of a stack', () => {
  it.each([
    [
      'Error: no\n    at Object.<anonymous> (node:internal/x:1)\n    at fold (export/folding.ts:88:13)',
      'at fold (export/folding.ts:88:13)',
    ],
    [
      'java.lang.Error: no\n\tat java.lang.Thread.run(Thread.java:1)\n\tat quay.Folding.fold(Folding.java:88)',
      'at quay.Folding.fold(Folding.java:88)',
    ],
    [
      'Traceback:\n  File "/usr/lib/python3/x.py", line 3, in a\n  File "fold.py", line 8, in fold',
      'File "fold.py", line 8, in fold',
    ],
    ['Error\n    at x (node:internal/a:1)', 'at x (node:internal/a:1)'],
  ])('is the first of its own', (stack, frame) => expect(topFrame(stack)).toBe(frame));

  it('is none where there is no stack', () => expect(topFrame('it broke')).toBeUndefined());
});

describe('a verdict', () => {
  it.each([
    [0.9, 0.9, 'tells them apart'],
    [0.6, 0.9, 'tells most of them apart'],
    [0.2, 0.9, 'tells a part of them apart'],
    [0.9, 0.2, 'is a hint'],
  ] as const)('of coverage from %d and purity from %d', (coverage, purity, verdict) =>
    expect(verdictOf({ coverageIn: [coverage, 1], purityIn: [purity, 1] })).toBe(verdict),
  );
});
