import { tailOfT } from './student.js';

describe("the tail of Student's t", () => {
  // Closed forms: one degree of freedom is the Cauchy distribution, two have a root.
  it.each([0.1, 1, 3, 40])('has that of the Cauchy distribution for one degree of freedom at %d', (t) => {
    expect(tailOfT(t, 1)).toBeCloseTo(0.5 - Math.atan(t) / Math.PI, 12);
    expect(tailOfT(-t, 1)).toBeCloseTo(0.5 + Math.atan(t) / Math.PI, 12);
    expect(tailOfT(t, 2)).toBeCloseTo(0.5 - t / (2 * Math.sqrt(2 + t * t)), 12);
  });

  // Printed tables of critical values.
  it.each([
    [2.228, 10, 0.025],
    [2.0423, 30, 0.025],
    [3.3735, 100, 0.00053],
  ])('is as tables say for %d with %d degrees of freedom', (t, freedom, p) => {
    expect(tailOfT(t, freedom)).toBeCloseTo(p, 4);
  });
});
