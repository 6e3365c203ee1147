import { recoveryOf } from './recovery.js';

const steps = (...wrong: number[]) => wrong.map((own, at) => ({ at: at * 60, wrong: own, all: 40 }));
const usual = { wrong: 4, all: 4000 };

describe('a recovery', () => {
  it('is since the first step from which on nothing more than usual went wrong', () => {
    expect(recoveryOf(steps(12, 14, 11, 0, 0, 1, 0, 0), usual)).toMatchObject({
      state: 'recovered',
      since: 180,
      all: 200,
    });
  });

  it('goes on while it goes wrong', () => {
    expect(recoveryOf(steps(0, 0, 12, 9, 14), usual)).toMatchObject({ state: 'goes on', all: 200 });
    // Each step alone may be chance; together they are not.
    expect(recoveryOf(steps(1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1), usual).state).not.toBe('recovered');
  });

  it('does not begin with a step in which more than usual went wrong, though chance would allow it', () => {
    const batches = [3, 2, 1, 0, 0, 0, 0, 0, 0, 0].map((wrong, at) => ({ at: at * 900, wrong, all: 6 }));
    expect(recoveryOf(batches, { wrong: 0, all: 2000 })).toMatchObject({
      state: 'recovered',
      since: 2700,
      share: 0,
      all: 42,
    });
  });

  it('is not told by steps in which nothing happened', () => {
    const nothing = { wrong: 0, all: 0 };
    const pausing = [
      ...steps(12, 9, 14),
      ...Array.from({ length: 9 }, (_, at) => ({ at: 600 + at * 60, ...nothing })),
    ];
    expect(recoveryOf(pausing, usual)).toMatchObject({ state: 'goes on', all: 120 });
    expect(recoveryOf([{ at: 0, ...nothing }], usual)).toMatchObject({ state: 'too early to say', all: 0 });
  });

  it('is too early to say after a pause', () => {
    expect(recoveryOf(steps(12, 14, 11, 0, 0), usual).state).toBe('too early to say');
    const few = [
      { at: 0, wrong: 5, all: 9 },
      ...Array.from({ length: 6 }, (_, at) => ({ at: 60 + at * 60, wrong: 0, all: 2 })),
    ];
    expect(recoveryOf(few, usual).state).toBe('too early to say');
  });
});
