import type { NoiseAnswer, NoiseRow, PatternSummary } from '@flail/contract';
import { noiseFinding } from './noise.js';
import { correctionText, found, markText, wordsOf } from './rules.js';

const sentence = [{ text: 'lease of lease ' }, { slot: '17', type: 'number' }, { text: ' lost, again' }];

describe('a sentence', () => {
  it('is cut into words that can become slots, each told apart from its like', () => {
    const pieces = wordsOf(sentence);
    expect(pieces.flatMap((piece) => ('word' in piece ? [piece.word] : []))).toEqual([
      { text: 'lease', occurrence: 0 },
      { text: 'of', occurrence: 0 },
      { text: 'lease', occurrence: 1 },
      { text: 'lost', occurrence: 0 },
      { text: 'again', occurrence: 0 },
    ]);
    const whole = pieces.map((piece) =>
      'word' in piece ? piece.word.text : 'between' in piece ? piece.between : piece.text,
    );
    expect(whole.join('')).toBe('lease of lease 17 lost, again');
  });

  it('is found by its words, its services and its name', () => {
    const row = {
      id: 'k7f3q',
      sentence,
      services: ['quay'],
      level: 'warn',
      name: 'Lost',
    } as unknown as PatternSummary;
    for (const search of ['lease lost', 'quay', 'LOST warn', 'k7f3q', '17'])
      expect(found(row, search)).toBe(true);
    expect(found(row, 'lease granted')).toBe(false);
  });
});

describe('rules in words', () => {
  it('say what was done', () => {
    expect(correctionText({ kind: 'join', patterns: ['a', 'b'] })).toBe('joined 2 patterns: a, b');
    expect(correctionText({ kind: 'split', pattern: 'a', slot: 1 })).toBe('split a by its slot 2');
    expect(markText({ kind: 'known', pattern: 'a', reason: 'weekly' })).toBe('a: known, weekly');
  });
});

describe('the finding about noise', () => {
  const row = (pattern: string, bytes: number, reasons: string[]): NoiseRow =>
    ({ pattern, bytes, reasons, level: 'debug', source: 'quay' }) as unknown as NoiseRow;
  const answer = (...rows: NoiseRow[]): NoiseAnswer => ({ records: 100, bytes: 1000, rows, more: 0 });

  it('names what may go, and how much that is', () => {
    expect(noiseFinding(answer(row('a', 600, ['x']), row('b', 100, ['x']), row('c', 300, [])))).toBe(
      '100 lines, 1.0 kB. 60% of the bytes are one debug pattern of quay; 2 patterns that may go are 70%.',
    );
  });

  it('claims nothing where nothing may go', () => {
    expect(noiseFinding(answer(row('a', 1000, [])))).toContain('Nothing in it speaks for being left out');
  });
});
