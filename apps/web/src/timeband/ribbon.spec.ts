import { drawRibbon } from './ribbon.js';

const heights = (path: string): number[] =>
  [...path.matchAll(/[ML]\s*-?[\d.]+,(-?[\d.]+)/g)].map(([, y]) => Number(y));

describe('the ribbon', () => {
  const draw = (total: number[], errors: number[]) =>
    drawRibbon(total, errors, (step) => step * 10, 34, 30, 12);

  it('stands up by volume on a root scale, and hangs down by the share of errors', () => {
    const ribbon = draw([0, 100, 400], [0, 50, 40]);
    expect(Math.min(...heights(ribbon.volume))).toBeCloseTo(34 - 30);
    expect(heights(ribbon.volume)).toContain(34 - 15);
    expect(Math.max(...heights(ribbon.errors))).toBeCloseTo(34 + 12);
    expect(ribbon.worst).toBe(0.5);
  });

  it('does not make little of errors look like much, nor none like any', () => {
    const little = draw([1000, 1000], [0, 1]);
    expect(Math.max(...heights(little.errors))).toBeLessThan(35);
    expect(little.worst).toBe(0.001);
    expect(draw([5, 5], [0, 0]).worst).toBe(0);
  });
});
