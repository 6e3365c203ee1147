import type { SlotPlace } from '../grouping/slots.js';
import { LEVELS } from '../records/levels.js';
import type { RowCodes, SegmentView } from '../segments/view.js';
import type { Argument } from './steps.js';

/** Where the slots of the pattern in question stand, by layout: for fields named `slot.1`, `slot.2`, … */
export type SlotPlaces = ReadonlyMap<number, readonly SlotPlace[]>;

/** A field that names a slot of a pattern: its index from 0, or undefined. */
export function slotOfField(field: string): number | undefined {
  const match = /^slot\.([1-9]\d{0,2})$/.exec(field);
  return match ? Number(match[1]) - 1 : undefined;
}

const HOUR = 3_600_000_000;
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

/** The values of a field, or of what is worked out from it, over the rows of a segment; undefined where no row has one. */
export async function rowValues(
  view: SegmentView,
  { field, call }: Argument,
  slots?: SlotPlaces,
): Promise<RowCodes | undefined> {
  if (field === 'time') {
    const times = await view.times();
    const { codes, codeOf, values } = coder(view.count);
    for (let row = 0; row < times.length; row++) {
      const hours = Math.floor(times[row]! / HOUR);
      // 1 January 1970 was a Thursday.
      codes[row] = codeOf(
        call === 'hour'
          ? String(((hours % 24) + 24) % 24)
          : call === 'weekday'
            ? DAYS[(((Math.floor(hours / 24) + 3) % 7) + 7) % 7]!
            : String(times[row]! / 1e6),
      );
    }
    return { codes, values };
  }
  const plain = await plainValues(view, field, slots);
  if (!plain || call !== 'length') return plain;
  return { codes: plain.codes, values: plain.values.map((value) => String([...value].length)) };
}

async function plainValues(
  view: SegmentView,
  field: string,
  slots?: SlotPlaces,
): Promise<RowCodes | undefined> {
  const { summary } = view;
  const slot = slotOfField(field);
  if (slot !== undefined) return slots && slotValues(view, slot, slots);
  if (field === 'service') return { codes: await view.services(), values: summary.services };
  if (field === 'level') {
    const levels = await view.levels();
    return {
      codes: recoded(
        levels,
        LEVELS.map((_, code) => (code === 0 ? -1 : code)),
      ),
      values: LEVELS,
    };
  }
  if (field === 'pattern') {
    // Layouts stand for their patterns; whoever asks knows how they group.
    return { codes: await view.layouts(), values: summary.layouts.map(String) };
  }
  if (field === 'text') {
    const { codes, codeOf, values } = coder(view.count);
    for (let row = 0; row < codes.length; row++) codes[row] = codeOf(await view.text(row));
    return { codes, values };
  }
  const own = await view.fieldCodes(field);
  const contexts = summary.contexts.map((id) => view.catalog.context(id));
  const declared = contexts.map((context) =>
    field === 'source' ? context.source : context.attributes[field],
  );
  if (declared.every((value) => value === undefined)) return own;
  const ofContext = await view.contexts();
  const { codes, codeOf, values } = coder(view.count);
  if (!own) {
    const codeOfContext = declared.map((value) => (value === undefined ? -1 : codeOf(value)));
    return { codes: recoded(ofContext, codeOfContext), values };
  }
  for (let row = 0; row < codes.length; row++) {
    const at = own.codes[row]!;
    const value = at >= 0 ? own.values[at] : declared[ofContext[row]!];
    if (value !== undefined) codes[row] = codeOf(value);
  }
  return { codes, values };
}

async function slotValues(
  view: SegmentView,
  slot: number,
  places: SlotPlaces,
): Promise<RowCodes | undefined> {
  const { codes, codeOf, values } = coder(view.count);
  const layouts = await view.layouts();
  const ranks = await view.ranks();
  const get = await Promise.all(
    view.summary.layouts.map(async (id, code): Promise<((rank: number) => string) | undefined> => {
      const place = places.get(id)?.[slot];
      if (!place) return undefined;
      if ('word' in place) return () => place.word;
      const column = (await view.slots(code))[place.slot]!;
      return (rank) => column.get(rank);
    }),
  );
  if (get.every((one) => one === undefined)) return undefined;
  for (let row = 0; row < codes.length; row++) {
    const value = get[layouts[row]!]?.(ranks[row]!);
    if (value !== undefined) codes[row] = codeOf(value);
  }
  return { codes, values };
}

/** Other codes for codes. */
function recoded(codes: Uint8Array | Uint16Array, others: readonly number[]): Int32Array {
  const result = new Int32Array(codes.length);
  for (let row = 0; row < result.length; row++) result[row] = others[codes[row]!]!;
  return result;
}

/** Gives values codes in the order in which they are met. */
export function coder(count: number): {
  codes: Int32Array;
  codeOf: (value: string) => number;
  values: string[];
} {
  const values: string[] = [];
  const known = new Map<string, number>();
  const codeOf = (value: string): number => {
    let code = known.get(value);
    if (code === undefined) {
      known.set(value, (code = values.length));
      values.push(value);
    }
    return code;
  };
  return { codes: new Int32Array(count).fill(-1), codeOf, values };
}
