import type { MovedWithAnswer, PlotAnswer } from '@flail/contract';
import { plotOption } from './plot-option.js';
import { csvOfPlots } from './csv.js';
import { FIRST_PLOTS, plotFinding, plotOf, plotsFrom, plotsText, readingAt, sourceAbout } from './plots.js';
import { relatedFinding } from './related.js';

const answer = (more: Partial<PlotAnswer> = {}): PlotAnswer => ({
  name: 'queue.depth',
  unit: '{request}',
  aggregate: 'avg',
  from: '2026-03-02T18:00:00.000Z',
  step: 60,
  lines: [{ labels: {}, members: 4, values: [1, 2, null, 30], max: [2, 3, null, 60] }],
  more: 0,
  exemplars: [],
  ...more,
});
const moved = {
  side: 'above' as const,
  onset: '2026-03-02T18:02:00Z',
  end: '2026-03-02T18:04:00Z',
  goesOn: true,
  value: 30,
  usual: 2,
  spreads: 20,
};

describe('plots in the address', () => {
  it('are read back as they were written', () => {
    const plots = [
      { ...plotOf({ of: 'pattern', pattern: 'k7' }), kind: 'area' as const, ghosts: ['day' as const] },
    ];
    expect(plotsFrom(plotsText(plots))).toEqual(plots);
    expect(plotsFrom('')).toEqual(FIRST_PLOTS);
  });

  it.each(['{', '5', '[{"sources":[]}]', '[{"sources":[{"of":"nothing"}],"kind":"line","ghosts":[]}]'])(
    'that make no sense are none: %s',
    (text) => expect(plotsFrom(text)).toEqual([]),
  );

  it('say what they are of', () => {
    expect(sourceAbout({ of: 'metric', metric: 'x', where: { service: ['nest'] }, by: ['instance'] })).toBe(
      'nest, by instance',
    );
    expect(sourceAbout({ of: 'metric', metric: 'x', where: { instance: ['a', 'b', 'c'] } })).toBe(
      '3 of instance',
    );
  });
});

describe('what is said of a plot', () => {
  it.each([
    [{ moved }, /^15 times, from \d\d:02 on: 30, usual 2\.$/],
    [
      { moved, hidden: { ...moved, member: 'nest-4', value: 41, usual: 0 } },
      /^The average hides it: nest-4 came to 41/,
    ],
    [{ normal: { low: [], high: [] } }, /^Within its normal range in the focus\.$/],
    [{ limit: { metric: 'l', values: [], used: 0.97 } }, /at most 97% of its limit used\.$/],
    [{ lines: [{ labels: {}, members: 1, values: [null, null] }] }, /^Nothing was measured/],
    [{}, /^Too little is known of the time before/],
  ] as [Partial<PlotAnswer>, RegExp][])('%j', (more, text) =>
    expect(plotFinding(answer(more), Date.parse('2026-03-02T18:02:00Z'))).toMatch(text),
  );

  it.each([
    [[1, 1, 1, 1], 'Within its normal range in the focus.'],
    [[1, 1, 9, null], 'Above its normal range in the focus, as it often is.'],
    [[9, 9, 9, 9], 'Above its normal range, as before the focus already.'],
    [[-9, -9, null, -9], 'Below its normal range, as before the focus already.'],
  ])('that did not leave its range with the focus: %j', (values, text) => {
    const normal = { low: [0, 0, 0, 0], high: [2, 2, 2, 2] };
    const one = answer({ normal, lines: [{ labels: {}, members: 1, values }] });
    expect(plotFinding(one, Date.parse('2026-03-02T18:02:00Z'))).toBe(text);
  });

  it('is read at a moment, the highest first', () => {
    const two = answer({
      lines: [
        { labels: { instance: 'a' }, members: 1, values: [1] },
        { labels: { instance: 'b' }, members: 1, values: [3] },
      ],
    });
    expect(readingAt(two, Date.parse('2026-03-02T18:00:30Z'))).toMatch(/: b 3, a 1$/);
    expect(readingAt(answer(), Date.parse('2026-03-02T18:02:30Z'))).toMatch(/nothing measured$/);
  });

  it('goes away as numbers, one line for each moment and series', () => {
    expect(csvOfPlots([answer()]).split(/\r?\n/).slice(0, 3)).toEqual([
      'time,series,value,unit',
      '2026-03-02T18:00:00.000Z,queue.depth,1,{request}',
      '2026-03-02T18:01:00.000Z,queue.depth,2,{request}',
    ]);
  });
});

describe('the drawing of a plot', () => {
  const colours = { ink: '#000', rule: '#ccc', base: '#888', ground: '#fff', focus: '#066', error: '#b00' };
  const drawn = (answers: PlotAnswer[], chosen = '') =>
    plotOption({ answers, kind: 'line', focus: { from: 0, to: 1 }, changes: [], chosen }, colours);
  const names = (option: ReturnType<typeof drawn>): unknown[] =>
    (option.series as { name: string }[]).map(({ name }) => name);

  it('has the maximum where an average of several is asked for, the band and the ghosts', () => {
    const full = answer({
      normal: { low: [0, 0, 0, 0], high: [3, 3, 3, 3] },
      ghosts: [{ name: 'day', values: [1, 1, 1, 1] }],
      limit: { metric: 'queue.limit', values: [9, 9, 9, 9] },
      exemplars: [{ time: '2026-03-02T18:01:00Z', value: 2, trace: 'aa', labels: {} }],
    });
    expect(names(drawn([full]))).toEqual([
      'normal from',
      'normal range',
      'queue.depth, maximum',
      'queue.depth',
      'a day before',
      'limit',
      'samples',
    ]);
    expect(names(drawn([answer({ aggregate: 'max' })]))).toEqual(['queue.depth']);
  });

  it('has an axis for each of two units', () => {
    const both = drawn([answer(), answer({ name: 'time', unit: 's' })]);
    expect(both.yAxis).toHaveLength(2);
    expect(
      (both.series as { name: string; yAxisIndex: number }[]).find(({ name }) => name === 'time')?.yAxisIndex,
    ).toBe(1);
  });
});

describe('what moved with a series', () => {
  const related = (more: Partial<MovedWithAnswer>): MovedWithAnswer => ({
    name: 'x',
    window: { from: '', to: '' },
    with: [],
    still: [],
    compared: 300,
    chance: 0.05,
    ...more,
  });
  it('is said with how many may be chance, and no cause is claimed', () => {
    expect(relatedFinding(related({}))).toBe('Of 300 series compared none moved as it did.');
    const one = {
      name: 'y',
      service: 's',
      source: { of: 'pattern' as const, pattern: 'k' },
      correlation: 0.9,
      lag: -60,
    };
    expect(relatedFinding(related({ with: [one] }))).toBe(
      '1 of 300 series moved as it did, 1 of them before it, which is no proof of a cause. Of those named 5.0% may be so by chance.',
    );
    expect(relatedFinding(related({ compared: 0 }))).toMatch(/^Too little is known/);
  });
});
