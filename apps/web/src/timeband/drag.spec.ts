import { dragged, gripAt, zoomed } from './drag.js';

describe('what a pointer takes hold of', () => {
  it.each([
    [100, 'focus-from'],
    [95, 'focus-from'],
    [150, 'focus-move'],
    [199, 'focus-to'],
    [60, 'baseline-move'],
    [2, 'baseline-from'],
    [300, 'draw'],
  ])('at %i: %s', (x, grip) => {
    expect(gripAt(x, [100, 200], [0, 90])).toBe(grip);
  });

  it('moves a narrow bracket by its middle and stretches it from outside', () => {
    expect(gripAt(103, [100, 106], undefined)).toBe('focus-move');
    expect(gripAt(96, [100, 106], undefined)).toBe('focus-from');
    expect(gripAt(110, [100, 106], undefined)).toBe('focus-to');
  });
});

describe('dragging', () => {
  const limits = { from: 0, to: 1000 };
  it('draws in either direction, within what is shown', () => {
    expect(dragged('draw', undefined, 300, 100, limits)).toEqual({ from: 100, to: 300 });
    expect(dragged('draw', undefined, 900, 1200, limits)).toEqual({ from: 900, to: 1000 });
  });

  it('moves whole, and turns round when an edge passes the other', () => {
    expect(dragged('focus-move', { from: 100, to: 200 }, 150, 170, limits)).toEqual({ from: 120, to: 220 });
    expect(dragged('focus-to', { from: 100, to: 200 }, 200, 50, limits)).toEqual({ from: 50, to: 100 });
  });
});

describe('zooming', () => {
  const held = { from: 0, to: 1_000_000 };
  it('keeps the moment under the pointer where it is', () => {
    const band = zoomed(held, 250_000, 0.5, held)!;
    expect(band.to - band.from).toBe(500_000);
    expect((250_000 - band.from) / 500_000).toBeCloseTo(0.25);
  });

  it('ends at all that is held, and never under ten seconds', () => {
    expect(zoomed(held, 5, 2, held)).toBeUndefined();
    const small = zoomed({ from: 0, to: 12_000 }, 0, 0.1, held)!;
    expect(small.to - small.from).toBe(10_000);
  });
});
