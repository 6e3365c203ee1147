import fc from 'fast-check';
import { seriesLine, SeriesLineError, type SeriesPart, seriesPartOf } from './lines.js';

const numbers = fc.oneof(fc.double({ noDefaultInfinity: true, noNaN: true }), fc.constant(NaN));

describe('series on their way', () => {
  it('come back as they were, gaps and all', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 4e15 }), numbers, numbers), { maxLength: 30 }),
        fc.dictionary(fc.string({ minLength: 1 }), fc.string(), { maxKeys: 3 }),
        (points, labels) => {
          const part: SeriesPart = {
            series: { metric: 'wait', unit: 's', kind: 'histogram', total: false, labels },
            points: {
              times: Float64Array.from(points, ([at]) => at),
              columns: new Map([
                ['count', Float64Array.from(points, ([, value]) => value)],
                ['0..0.5', Float64Array.from(points, ([, , value]) => value)],
              ]),
            },
            exemplars: [{ at: 5, value: 0.7, trace: 'ab' }],
          };
          const back = seriesPartOf(seriesLine(part));
          expect(back.series).toEqual(part.series);
          expect(back.exemplars).toEqual(part.exemplars);
          expect([...back.points.times]).toEqual([...part.points.times]);
          for (const [name, column] of part.points.columns)
            // JSON knows no minus nought.
            expect([...back.points.columns.get(name)!].map((one) => one + 0)).toEqual(
              [...column].map((one) => one + 0),
            );
        },
      ),
    );
  });

  it.each([
    ['nothing', '{', 'no JSON'],
    ['a list', '[]', 'an object'],
    ['no name', '{"kind":"gauge","times":[],"columns":{}}', '"metric"'],
    ['another kind', '{"metric":"a","kind":"dial","times":[],"columns":{}}', 'gauge, sum or histogram'],
    ['times in words', '{"metric":"a","kind":"gauge","times":["now"],"columns":{}}', '"times"'],
    ['no columns', '{"metric":"a","kind":"gauge","times":[]}', '"columns"'],
    [
      'too few numbers',
      '{"metric":"a","kind":"gauge","times":[1,2],"columns":{"value":[1]}}',
      'not a number for each',
    ],
  ])('%s is refused', (_, line, words) => {
    expect(() => seriesPartOf(line)).toThrow(SeriesLineError);
    expect(() => seriesPartOf(line)).toThrow(words);
  });
});
