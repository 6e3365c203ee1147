import { LEVELS } from '../records/levels.js';
import type { CountKey } from './count-keys.js';
import {
  emptyCounts,
  emptyHistory,
  type LayoutCounts,
  type LayoutHistory,
  TREND_STEPS,
} from './pattern-counts.js';

/**
 * Counts as they travel between threads: a few long arrays instead of thousands of small objects, which take
 * ten times as long to be copied.
 */
export interface PackedCounts {
  keys: CountKey[];
  /** A row of numbers for each key. */
  numbers: Float64Array;
  /** Segments of the samples, by index. */
  segments: string[];
  services: string[];
  /** Key, service and count, three numbers each. */
  byService: Float64Array;
}

const LEVEL_AT = 8;
const TREND_AT = LEVEL_AT + LEVELS.length;
const WIDTH = TREND_AT + 2 * TREND_STEPS;

export function packCounts(counts: ReadonlyMap<CountKey, LayoutCounts>): PackedCounts {
  const keys = [...counts.keys()];
  const numbers = new Float64Array(keys.length * WIDTH);
  const segments = new Map<string, number>();
  const services = new Map<string, number>();
  const byService: number[] = [];
  const codeIn = (codes: Map<string, number>, value: string): number => {
    let code = codes.get(value);
    if (code === undefined) codes.set(value, (code = codes.size));
    return code;
  };
  let key = 0;
  for (const found of counts.values()) {
    const at = key * WIDTH;
    const { sample } = found;
    numbers.set(
      [
        found.focus,
        found.baseline,
        found.first,
        found.last,
        sample ? codeIn(segments, sample.segment) : -1,
        sample?.row ?? 0,
        sample?.micros ?? 0,
        sample?.inFocus ? 1 : 0,
      ],
      at,
    );
    numbers.set(found.levels, at + LEVEL_AT);
    numbers.set(found.trend, at + TREND_AT);
    numbers.set(found.baselineTrend, at + TREND_AT + TREND_STEPS);
    for (const [service, count] of found.services) byService.push(key, codeIn(services, service), count);
    key++;
  }
  return {
    keys,
    numbers,
    segments: [...segments.keys()],
    services: [...services.keys()],
    byService: Float64Array.from(byService),
  };
}

/** Adds packed counts to sums. */
export function addPackedCounts(sums: Map<CountKey, LayoutCounts>, packed: PackedCounts): void {
  const { numbers } = packed;
  const own = packed.keys.map((key) => {
    let sum = sums.get(key);
    if (!sum) sums.set(key, (sum = emptyCounts()));
    return sum;
  });
  own.forEach((sum, key) => {
    const at = key * WIDTH;
    sum.focus += numbers[at]!;
    sum.baseline += numbers[at + 1]!;
    sum.first = Math.min(sum.first, numbers[at + 2]!);
    sum.last = Math.max(sum.last, numbers[at + 3]!);
    for (let level = 0; level < LEVELS.length; level++) sum.levels[level]! += numbers[at + LEVEL_AT + level]!;
    for (let step = 0; step < TREND_STEPS; step++) {
      sum.trend[step]! += numbers[at + TREND_AT + step]!;
      sum.baselineTrend[step]! += numbers[at + TREND_AT + TREND_STEPS + step]!;
    }
    if (numbers[at + 4]! < 0) return;
    const [micros, inFocus] = [numbers[at + 6]!, numbers[at + 7] === 1];
    const { sample } = sum;
    if (!sample || (inFocus === sample.inFocus ? micros > sample.micros : inFocus))
      sum.sample = { segment: packed.segments[numbers[at + 4]!]!, row: numbers[at + 5]!, micros, inFocus };
  });
  const { byService, services } = packed;
  for (let at = 0; at < byService.length; at += 3) {
    const sum = own[byService[at]!]!.services;
    const service = services[byService[at + 1]!]!;
    sum.set(service, (sum.get(service) ?? 0) + byService[at + 2]!);
  }
}

/** Histories as they travel between threads. */
export interface PackedHistories {
  keys: CountKey[];
  /** Earlier, margin, first and last of each key. */
  numbers: Float64Array;
  /** Key, stretch and count, three numbers each. */
  stretches: Float64Array;
}

export function packHistories(histories: ReadonlyMap<CountKey, LayoutHistory>): PackedHistories {
  const numbers = new Float64Array(histories.size * 4);
  const stretches: number[] = [];
  let key = 0;
  for (const { earlier, margin, first, last, stretches: own } of histories.values()) {
    numbers.set([earlier, margin, first, last], key * 4);
    for (const [stretch, count] of own) stretches.push(key, stretch, count);
    key++;
  }
  return { keys: [...histories.keys()], numbers, stretches: Float64Array.from(stretches) };
}

/** Adds packed histories to sums. */
export function addPackedHistories(sums: Map<CountKey, LayoutHistory>, packed: PackedHistories): void {
  const { numbers, stretches } = packed;
  const own = packed.keys.map((key, at) => {
    let sum = sums.get(key);
    if (!sum) sums.set(key, (sum = emptyHistory()));
    sum.earlier += numbers[at * 4]!;
    sum.margin += numbers[at * 4 + 1]!;
    sum.first = Math.min(sum.first, numbers[at * 4 + 2]!);
    sum.last = Math.max(sum.last, numbers[at * 4 + 3]!);
    return sum;
  });
  for (let at = 0; at < stretches.length; at += 3) {
    const sum = own[stretches[at]!]!.stretches;
    sum.set(stretches[at + 1]!, (sum.get(stretches[at + 1]!) ?? 0) + stretches[at + 2]!);
  }
}
