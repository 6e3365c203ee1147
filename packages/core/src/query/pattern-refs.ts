import type { Grouping } from '../grouping/grouping.js';
import type { SlotPlace } from '../grouping/slots.js';
import type { PatternRecords } from './evaluate.js';

/** The records that a reference to a pattern means: its id, a name that a person gave it, or `id:value` of a split one; undefined where there is no such pattern. */
export function recordsOfPattern(grouping: Grouping, ref: string): PatternRecords | undefined {
  const { patterns } = grouping;
  const whole = patterns.find(grouping.named(ref) ?? ref);
  if (whole) {
    const layouts = new Set(whole.layouts.map(({ id }) => id));
    const split = patterns.splits.get(whole.id);
    if (!split?.values) return { layouts };
    return {
      layouts,
      split: {
        places: placesOf(grouping, whole.id, split.slot),
        values: new Set(split.values),
        among: false,
      },
    };
  }
  const colon = ref.indexOf(':');
  const pattern = colon < 0 ? undefined : patterns.find(ref.slice(0, colon));
  const split = pattern && patterns.splits.get(pattern.id);
  if (!split) return undefined;
  return {
    layouts: new Set(pattern.layouts.map(({ id }) => id)),
    split: {
      places: placesOf(grouping, pattern.id, split.slot),
      values: new Set([ref.slice(colon + 1)]),
      among: true,
    },
  };
}

function placesOf({ patterns }: Grouping, id: string, slot: number): Map<number, SlotPlace> {
  const { places } = patterns.slotsOf(patterns.all().get(id)!);
  return new Map([...places].map(([layout, own]) => [layout, own[slot]]));
}
