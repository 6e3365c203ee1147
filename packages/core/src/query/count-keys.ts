import type { SlotPlace } from '../grouping/slots.js';
import type { SegmentView } from '../segments/view.js';

/** What is counted apart: a layout by its id, or a layout with one value of a slot by which its pattern is split. */
export type CountKey = number | string;

/** For each layout of a split pattern, where the slot stands that splits it. */
export type Splits = ReadonlyMap<number, SlotPlace>;

const PART = '\u0000';

export const splitKey = (layout: number, value: string): string => `${layout}${PART}${value}`;

/** The layout of a key, and the value where its pattern is split. */
export function partsOfKey(key: CountKey): { layout: number; value?: string } {
  if (typeof key === 'number') return { layout: key };
  const at = key.indexOf(PART);
  return { layout: Number(key.slice(0, at)), value: key.slice(at + 1) };
}

/** For each row of a segment a code, and for each code what it is counted under. */
export interface Coded {
  codes: Uint8Array | Uint16Array | Uint32Array;
  keys: CountKey[];
}

/** Values of a splitting slot beyond this many in one segment are not told apart. */
const MAX_VALUES = 1000;

/** Codes of a segment's rows: their layouts, told further apart where a pattern is split by the values of a slot. */
export async function codedRows(view: SegmentView, splits: Splits): Promise<Coded> {
  const layouts = await view.layouts();
  const keys: CountKey[] = [...view.summary.layouts];
  const split = view.summary.layouts.flatMap((id, code) => (splits.has(id) ? [code] : []));
  if (split.length === 0) return { codes: layouts, keys };
  const codes = Uint32Array.from(layouts);
  const ranks = await view.ranks();
  for (const code of split) {
    const id = view.summary.layouts[code]!;
    const place = splits.get(id);
    if (place && 'word' in place) keys[code] = splitKey(id, place.word);
    if (!place || 'word' in place) continue;
    const column = (await view.slots(code))[place.slot]!;
    const known = new Map<string, number>();
    for (let row = 0; row < codes.length; row++) {
      if (layouts[row] !== code) continue;
      const value = column.get(ranks[row]!);
      let own = known.get(value);
      if (own === undefined) {
        if (known.size >= MAX_VALUES) continue;
        known.set(value, (own = keys.length));
        keys.push(splitKey(id, value));
      }
      codes[row] = own;
    }
  }
  return { codes, keys };
}
