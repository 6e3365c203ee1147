import fc from 'fast-check';
import { LEVELS } from '../records/levels.js';
import type { CountKey } from './count-keys.js';
import { addPackedCounts, addPackedHistories, packCounts, packHistories } from './packed-counts.js';
import {
  addAllCounts,
  addAllHistory,
  type LayoutCounts,
  type LayoutHistory,
  TREND_STEPS,
} from './pattern-counts.js';

const few = fc.nat(50);
const counts: fc.Arbitrary<LayoutCounts> = fc
  .record({
    focus: few,
    baseline: few,
    first: fc.nat(),
    last: fc.nat(),
    levels: fc.array(few, { minLength: LEVELS.length, maxLength: LEVELS.length }),
    services: fc
      .uniqueArray(fc.tuple(fc.constantFrom('gull', 'tern', 'auk'), few), { selector: ([name]) => name })
      .map((entries) => new Map(entries)),
    trend: fc.array(few, { minLength: TREND_STEPS, maxLength: TREND_STEPS }),
    baselineTrend: fc.array(few, { minLength: TREND_STEPS, maxLength: TREND_STEPS }),
    sample: fc.option(
      fc.record({ segment: fc.constantFrom('1', '2'), row: few, micros: fc.nat(), inFocus: fc.boolean() }),
      { nil: undefined },
    ),
  })
  .map(({ sample, ...rest }) => ({ ...rest, ...(sample && { sample }) }));

const history: fc.Arbitrary<LayoutHistory> = fc.record({
  earlier: few,
  margin: few,
  first: fc.nat(),
  last: fc.nat(),
  stretches: fc
    .uniqueArray(fc.tuple(fc.nat(9), few), { selector: ([stretch]) => stretch })
    .map((entries) => new Map(entries)),
});

const key: fc.Arbitrary<CountKey> = fc.oneof(fc.nat(5), fc.constantFrom('1/a', '2/b'));
const keyed = <T>(value: fc.Arbitrary<T>): fc.Arbitrary<Map<CountKey, T>> =>
  fc.uniqueArray(fc.tuple(key, value), { selector: ([name]) => name }).map((entries) => new Map(entries));

describe('packed counts', () => {
  it('add up as the counts themselves', () => {
    fc.assert(
      fc.property(fc.array(keyed(counts), { maxLength: 4 }), (parts) => {
        const packed = new Map<CountKey, LayoutCounts>();
        const plain = new Map<CountKey, LayoutCounts>();
        for (const part of parts) {
          addPackedCounts(packed, packCounts(part));
          addAllCounts(plain, part);
        }
        expect(packed).toEqual(plain);
      }),
    );
  });

  it('add up as histories', () => {
    fc.assert(
      fc.property(fc.array(keyed(history), { maxLength: 4 }), (parts) => {
        const packed = new Map<CountKey, LayoutHistory>();
        const plain = new Map<CountKey, LayoutHistory>();
        for (const part of parts) {
          addPackedHistories(packed, packHistories(part));
          addAllHistory(plain, part);
        }
        expect(packed).toEqual(plain);
      }),
    );
  });
});
