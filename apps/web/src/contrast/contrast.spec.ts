import { contrastAnswer as answer, signature, term } from '../testing/contrast.js';
import { contrastFinding, fitText, termText } from './sentences.js';

describe('a term in words', () => {
  it.each([
    [term({}, { values: ['a', 'b', 'c'] }), 'port is a, b or c'],
    [term({ service: 'nest', name: 'instance' }, { values: ['nest-4'] }), 'instance of nest is nest-4'],
    [
      term({ kind: 'calls', name: 'select', service: 'nest' }, { is: 'range', low: 20 }),
      'calls of “select” by nest at least 20',
    ],
    [term({ kind: 'pattern', name: 'no room' }, { is: 'present' }), 'with the line “no room”'],
    [term({ kind: 'pattern', name: 'no room' }, { is: 'absent' }), 'without the line “no room”'],
    [term({ kind: 'run', name: 'settle' }, { is: 'present' }), 'beside a run of settle'],
    [
      term({ kind: 'metric', name: 'clock', service: 'nest', unit: 's' }, { is: 'range', low: 5, high: 50 }),
      'clock of the nest instance from 5 s to below 50 s',
    ],
    [
      term({ kind: 'slot', name: 'took …', slot: 1 }, { is: 'range', high: 3 }),
      'value 1 of “took …” below 3',
    ],
  ])('%#', (told, text) => expect(termText(told)).toBe(text));
});

describe('what a contrast comes to', () => {
  it('is as sure as its verdict', () => {
    expect(contrastFinding(answer())).toBe(
      '100 failed requests against 900 others: port is a. That tells them apart.',
    );
    expect(contrastFinding(answer({ signatures: [{ ...signature, verdict: 'is a hint' }] }))).toMatch(
      /a hint and no more\.$/,
    );
    expect(contrastFinding(answer({ usual: true }))).toMatch(/^No more than in the baseline: 100 failed/);
    expect(fitText(signature)).toBe(
      'It fits 90 of 100 (90%), and 90% of all that it fits are among them: it tells them apart from the others; confirmed on the third that it was not found on.',
    );
  });

  it('says when nothing sets them apart, and what is not recorded', () => {
    expect(contrastFinding(answer({ signatures: [], lacking: ['payloads'] }))).toBe(
      '100 failed requests against 900 others: nothing that is recorded sets them apart. Not recorded: payloads.',
    );
    expect(contrastFinding(answer({ first: { count: 0, kept: 0, used: 0, outcome: 'slow' } }))).toMatch(
      /^There are no slow requests here/,
    );
    expect(contrastFinding(answer({ second: { count: 0, kept: 0, used: 0 } }))).toMatch(
      /the second cohort is empty/,
    );
  });
});
