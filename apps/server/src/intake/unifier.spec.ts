import type { Layout, Sealed } from '@flail/core';
import { Unifier } from './unifier.js';

const layout = (id: number, literal: string): Layout => ({ id, literals: [literal, ''], types: 'n' });
const sealed = (found: Layout[], used: number[]): Sealed =>
  ({ layouts: found, shapes: [], summary: { layouts: used, shapes: [] } }) as unknown as Sealed;

describe('what workers found by themselves', () => {
  it('is numbered once', () => {
    const unifier = new Unifier([], [layout(0, 'known ')], 2);
    const first = unifier.unify(0, sealed([layout(1, 'a '), layout(2, 'b ')], [2, 0, 1]));
    expect(first.layouts.map(({ id }) => id)).toEqual([1, 2]);
    expect(first.summary.layouts).toEqual([2, 0, 1]);
    // The other worker found b before it found c.
    const second = unifier.unify(1, sealed([layout(1, 'b '), layout(2, 'c ')], [1, 2, 0]));
    expect(second.layouts).toEqual([layout(3, 'c ')]);
    expect(second.summary.layouts).toEqual([2, 3, 0]);
    expect(unifier.unify(0, sealed([layout(3, 'c ')], [3])).summary.layouts).toEqual([3]);
  });
});
