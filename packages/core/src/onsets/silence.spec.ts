import { silenceOf } from './silence.js';

const series = (of: (at: number) => number) => ({
  from: 0,
  step: 60,
  values: Array.from({ length: 300 }, (_, at) => of(at)),
});
const focus = { from: 240 * 60, to: 300 * 60 };

describe('a silence', () => {
  it('begins where what was always measured is measured no more', () => {
    expect(
      silenceOf(
        series((at) => (at >= 270 ? NaN : 5)),
        focus,
      ),
    ).toEqual({
      onset: 270 * 60,
      end: 300 * 60,
      goesOn: true,
      usual: 5,
    });
    expect(
      silenceOf(
        series((at) => (at >= 250 && at < 262 ? NaN : 5)),
        focus,
      ),
    ).toMatchObject({
      onset: 250 * 60,
      end: 262 * 60,
      goesOn: false,
    });
  });

  it('is no hiccup, and none of what comes only now and then', () => {
    expect(
      silenceOf(
        series((at) => (at % 50 < 3 ? NaN : 5)),
        focus,
      ),
    ).toBeUndefined();
    expect(
      silenceOf(
        series((at) => (at % 10 === 0 ? 5 : NaN)),
        focus,
      ),
    ).toBeUndefined();
    expect(
      silenceOf(
        series(() => 5),
        focus,
      ),
    ).toBeUndefined();
  });
});
