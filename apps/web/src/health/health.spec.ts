import type { RequestsAnalysisAnswer } from '@flail/contract';
import { figureText } from '../format/figures.js';
import { figure, health, tally } from '../testing/health.js';
import {
  changeText,
  comesFrom,
  hourFinding,
  objectiveFinding,
  retriedFinding,
  suspectFinding,
} from './sentences.js';

const none = { done: 0, 'done with errors': 0, failed: 0, stopped: 0 };
const analysis: RequestsAnalysisAnswer = {
  looked: 9,
  of: 9,
  origins: [{ service: 'gull', operation: 'fly', requests: 9, of: 9, passedOn: 9, message: '' }],
  makeUp: [],
  spread: [
    {
      what: 'instance of gull',
      field: 'instance',
      service: 'gull',
      verdict: 'a subset',
      members: ['1', '2', '3', '4', '5', '6'].map((one) => ({ name: `gull-${one}`, all: 9, failed: 0 })),
      subset: ['gull-4'],
      carries: 1,
      p: 0,
    },
  ],
};

describe('the sentence of the hour', () => {
  const failing = { share: 0.023, from: '2026-03-02T18:02:00Z', to: '2026-03-02T18:40:00Z', goesOn: true };

  it('says what fails, since when, from where, and what it does', () => {
    const sentence = hourFinding(
      health({
        focus: tally(1000, 23),
        failing,
        business: [figure({ value: 20.5, usual: 34.8, verdict: 'below' })],
        runs: [{ job: 'export', focus: { ...none, failed: 2 }, baseline: none, stuck: 1 }],
      }),
      analysis,
    );
    expect(sentence).toMatch(
      /^2\.3% of requests fail, since Mon 2 Mar \d\d:02; 0\.1% is usual; all from one of 6 instances of gull, gull-4; boardings a minute 41% down; 2 runs failed; 1 run is stuck\.$/,
    );
  });

  it('names the operation where all requests together bear it', () => {
    const of = hourFinding(
      health({ failing: { ...failing, operation: 'POST /scan', share: 0.014, goesOn: false } }),
      undefined,
    );
    expect(of).toMatch(/^1\.4% of POST \/scan fail, from .* to \d\d:40; /);
  });

  it('says no more than there is', () => {
    expect(hourFinding(health({}), undefined)).toBe('No request fails.');
    expect(hourFinding(health({ focus: tally(1000, 3) }), undefined)).toBe(
      '0.3% of requests fail, within the tolerance of 1.0%.',
    );
    expect(hourFinding(health({ focus: tally(0, 0) }), undefined)).toBe('No requests and no runs here.');
  });

  it('tells where failures begin when no subset carries them, and nothing when neither does', () => {
    expect(comesFrom({ ...analysis, spread: [] })).toBe('they begin at gull');
    const [instances] = analysis.spread;
    const alike = { ...instances!, verdict: 'all alike' as const, subset: [], carries: 0 };
    expect(comesFrom({ ...analysis, spread: [alike] })).toBe(
      'they begin at gull, in all of its instances alike',
    );
    expect(comesFrom({ ...analysis, spread: [{ ...alike, service: 'tern' }] })).toBe('they begin at gull');
    expect(comesFrom({ ...analysis, spread: [], origins: [] })).toBe('');
  });
});

describe('figures and promises in words', () => {
  it.each([
    [{ value: 20, usual: 40, verdict: 'below' }, '50% down'],
    [{ value: 50, usual: 40, verdict: 'above' }, '25% up'],
    [{ value: 200, usual: 40, verdict: 'above' }, '5 times the usual'],
    [{ value: 0.2, usual: 0, verdict: 'above' }, 'up from nothing'],
    [{ value: 40, usual: 40, verdict: 'as usual' }, 'as usual'],
    [{ value: 40, verdict: 'unknown' }, 'not known what is usual'],
  ] as const)('%j is %s', (more, words) => expect(changeText(figure(more))).toBe(words));

  it.each([
    [0.19, 'share', '19%'],
    [2.05, 's', '2.05 s'],
    [310.3, 'EUR/min', '310.3 EUR'],
    [16.75, '{quote}/min', '16.75'],
  ])('%d %s is %s', (value, unit, text) => expect(figureText(value, unit)).toBe(text));

  it('say how much of a budget is left, and for how long', () => {
    const objective = { id: 1, name: 'all requests', target: 0.99, days: 30 };
    const burns = [{ seconds: 3600, all: 100, failed: 19, rate: 19 }];
    expect(objectiveFinding({ objective, burns, left: 0.58, lasts: 80_000 })).toBe(
      'Of all requests 1.0% may fail over 30 days: 58% of the budget is left; at the pace of the last hour for 22 h 13 min.',
    );
    expect(objectiveFinding({ objective, burns, left: -1 })).toContain('the budget is used up');
  });

  it('say whether a symptom follows a suspect', () => {
    const answer = (
      failing: 'follows' | 'does not follow' | 'too few',
      slow: 'follows' | 'does not follow' | 'too few',
    ) => ({
      failing: { verdict: failing, own: 0.4, others: 0.001, p: 0 },
      slowness: { verdict: slow, own: 0.02, others: 0.02, p: 1 },
      from: '',
      step: 60,
      siblings: ['gull-4', 'gull-5', 'gull-6'].map((name) => ({
        name,
        calls: 99,
        failed: 0,
        failedShare: [],
        slowest: [],
      })),
    });
    expect(suspectFinding(answer('follows', 'does not follow'), 'gull-4')).toBe(
      'Failing follows gull-4: 40% fail there, 0.1% at its 2 siblings. Slowness does not: half take 20 ms there, 20 ms elsewhere.',
    );
    expect(suspectFinding(answer('does not follow', 'does not follow'), 'gull-4')).toContain(
      'Nor does slowness',
    );
    expect(suspectFinding(answer('does not follow', 'follows'), 'gull-4')).toContain('Slowness does:');
    expect(suspectFinding(answer('too few', 'too few'), 'gull-4')).toBe(
      'Too few calls to say whether failing follows gull-4.',
    );
    expect(suspectFinding({ ...answer('follows', 'follows'), siblings: [] }, 'gull-4')).toBe(
      'gull-4 has no siblings to compare with.',
    );
  });

  it('say whether what failed was sent again', () => {
    const of = (again: number, sampled: boolean) =>
      retriedFinding(health({ retried: { failed: 10, again, recovered: 2, sampled } }));
    expect(of(4, true)).toBe(
      'Of 10 failing requests at least 4 came again within two minutes, at least 2 of them with success.',
    );
    expect(of(0, false)).toContain('what failed is lost');
    expect(of(0, true)).toContain('some may have come again');
    expect(retriedFinding(health({}))).toBe('');
  });
});
