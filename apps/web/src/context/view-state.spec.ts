import { baselineOf, carriedParameters, datasetParameters, readState, writeState } from './view-state.js';

const HOUR = 3_600_000;
const focus = { from: Date.UTC(2026, 2, 2, 18), to: Date.UTC(2026, 2, 2, 19) };

describe('the state in the URL', () => {
  it('comes back as it was written', () => {
    const written = writeState(new URLSearchParams('order=rare'), {
      focus,
      choice: 'day',
      scope: ' level = error ',
      band: { from: 0, to: HOUR },
    });
    expect(readState(written)).toEqual({
      dataset: 'live',
      focus,
      choice: 'day',
      baseline: baselineOf(focus, 'day', undefined),
      scope: 'level = error',
      band: { from: 0, to: HOUR },
    });
    expect(written.get('order')).toBe('rare');
  });

  it('ties the baseline to the focus until it is set free', () => {
    const tied = readState(writeState(new URLSearchParams(), { focus }));
    expect(tied.baseline).toEqual({ from: focus.from - HOUR, to: focus.from });
    const own = { from: focus.from - 5 * HOUR, to: focus.from - 4 * HOUR };
    const free = writeState(writeState(new URLSearchParams(), { focus }), { baseline: own });
    expect(readState(free)).toMatchObject({ choice: 'free', baseline: own });
    const moved = writeState(free, { focus: { from: focus.from + HOUR, to: focus.to + HOUR } });
    expect(readState(moved).baseline).toEqual(own);
    expect(readState(writeState(free, { choice: 'week' })).baseline).toEqual({
      from: focus.from - 168 * HOUR,
      to: focus.to - 168 * HOUR,
    });
  });

  it('takes nonsense for nothing', () => {
    expect(readState(new URLSearchParams('focus=x~y&against=sideways&band=1'))).toEqual({
      dataset: 'live',
      focus: undefined,
      baseline: undefined,
      choice: 'before',
      scope: '',
      band: undefined,
    });
    expect(
      readState(
        new URLSearchParams(
          `focus=${new Date(focus.to).toISOString()}~${new Date(focus.from).toISOString()}`,
        ),
      ).focus,
    ).toBeUndefined();
  });

  it('goes along from view to view without what belongs to one of them', () => {
    const parameters = writeState(new URLSearchParams('order=rare&record=5'), { focus, scope: 'x' });
    expect([...carriedParameters(parameters).keys()]).toEqual(['focus', 'scope']);
  });

  it('names the data set, and opens a kept one with what it was kept for', () => {
    const parameters = new URLSearchParams(datasetParameters('night-3', 'scope=x&order=rare&data=other'));
    expect(readState(parameters)).toMatchObject({ dataset: 'night-3', scope: 'x' });
    expect(parameters.has('order')).toBe(false);
  });
});
