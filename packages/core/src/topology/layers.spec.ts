import { layersOf } from './layers.js';

const call = (from: string, to: string) => ({ from, to });

describe('layers', () => {
  it('put whoever asks left of whom it asks, by the longest way', () => {
    const places = layersOf(
      ['edge', 'board', 'plan', 'lease', 'db'],
      [
        call('edge', 'board'),
        call('board', 'plan'),
        call('edge', 'plan'),
        call('plan', 'lease'),
        call('board', 'db'),
      ],
    );
    expect(Object.fromEntries(places.map(({ name, layer }) => [name, layer]))).toEqual({
      edge: 0,
      board: 1,
      plan: 2,
      db: 2,
      lease: 3,
    });
  });

  it('are the same whatever the order', () => {
    const names = ['a', 'b', 'c', 'd', 'e'];
    const calls = [call('a', 'd'), call('b', 'c'), call('a', 'c'), call('b', 'e')];
    expect(layersOf([...names].reverse(), [...calls].reverse())).toEqual(layersOf(names, calls));
  });

  it('cross no more calls than they must', () => {
    const places = new Map(
      layersOf(['a', 'b', 'x', 'y'], [call('a', 'y'), call('b', 'x')]).map((one) => [one.name, one.place]),
    );
    // a above b, so y above x.
    expect(places.get('a')! < places.get('b')!).toBe(places.get('y')! < places.get('x')!);
  });

  it('stand rings, and those that ask nobody', () => {
    const places = layersOf(['a', 'b', 'alone'], [call('a', 'b'), call('b', 'a'), call('a', 'a')]);
    expect(places).toHaveLength(3);
    expect(new Set(places.map(({ layer }) => layer))).toEqual(new Set([0, 1]));
    expect(layersOf([], [])).toEqual([]);
  });
});
