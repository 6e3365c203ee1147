import { type Column, type Feature, featureKey, type FeatureName } from './table.js';

/** A feature while it is put together. */
interface Growing {
  name: FeatureName;
  codes?: Int32Array;
  values?: Map<string, number>;
  numbers?: Float64Array;
  set?: Uint8Array;
}

/** Numbers with fewer different values than this are told apart as values. */
const FEW_NUMBERS = 12;
/** Features beyond this many are left out; the sender must be inventing names. */
const MOST_FEATURES = 3000;
/** Fields inside a value that is JSON. */
const MOST_INSIDE = 40;
const DEEPEST = 3;

/** Puts the features of items together, item by item. */
export class Features {
  private readonly growing = new Map<string, Growing>();

  constructor(private readonly items: number) {}

  /** A value of an item; the first that is told stands. */
  value(name: FeatureName, item: number, value: string): void {
    const feature = this.of(name);
    if (!feature) return;
    feature.codes ??= new Int32Array(this.items).fill(-1);
    feature.values ??= new Map<string, number>();
    if (feature.codes[item]! >= 0) return;
    if (value.startsWith('{') && this.inside(name, item, value)) return;
    let code = feature.values.get(value);
    if (code === undefined) feature.values.set(value, (code = feature.values.size));
    feature.codes[item] = code;
  }

  /** Adds to a number of an item, which is nothing to begin with. */
  add(name: FeatureName, item: number, number: number): void {
    const feature = this.of(name);
    if (!feature) return;
    feature.numbers ??= new Float64Array(this.items);
    feature.numbers[item]! += number;
  }

  /** A number of an item, which has none to begin with. */
  number(name: FeatureName, item: number, number: number): void {
    const feature = this.of(name);
    if (!feature) return;
    feature.numbers ??= new Float64Array(this.items).fill(NaN);
    feature.numbers[item] = number;
  }

  flag(name: FeatureName, item: number): void {
    const feature = this.of(name);
    if (!feature) return;
    feature.set ??= new Uint8Array(this.items);
    feature.set[item] = 1;
  }

  /** Codes of the values of one feature, for looking up what belongs to them. */
  codes(name: FeatureName): { codes: Int32Array; values: readonly string[] } | undefined {
    const { codes, values } = this.growing.get(featureKey(name)) ?? {};
    return codes && values && { codes, values: [...values.keys()] };
  }

  /** The features that are not the same of all items, in an order of their own. */
  build(): Feature[] {
    return this.all().filter(({ column }) => varies(column));
  }

  /** All of them, those too that are the same of all items. */
  all(): Feature[] {
    return [...this.growing.entries()]
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .flatMap(([, growing]): Feature[] => {
        const column = columnOf(growing);
        return column ? [{ name: growing.name, column }] : [];
      });
  }

  private of(name: FeatureName): Growing | undefined {
    const key = featureKey(name);
    let feature = this.growing.get(key);
    if (!feature && this.growing.size < MOST_FEATURES) this.growing.set(key, (feature = { name }));
    return feature;
  }

  /** What stands inside a value that is JSON, as fields of their own. */
  private inside(name: FeatureName, item: number, text: string): boolean {
    let left = MOST_INSIDE;
    const visit = (value: unknown, path: string, depth: number): void => {
      if (left <= 0) return;
      if (typeof value === 'object' && value !== null && !Array.isArray(value) && depth < DEEPEST) {
        for (const [key, one] of Object.entries(value)) visit(one, `${path}.${key}`, depth + 1);
        return;
      }
      left--;
      const shown = typeof value === 'string' ? value : JSON.stringify(value);
      this.value(
        { ...name, name: path, inside: name.inside ?? name.name },
        item,
        shown.startsWith('{') ? shown.slice(1) : shown,
      );
    };
    try {
      visit(JSON.parse(text), name.name, 0);
      return true;
    } catch {
      return false;
    }
  }
}

function columnOf({ codes, values, numbers, set }: Growing): Column | undefined {
  if (numbers) return { of: 'numbers', values: numbers };
  if (set) return { of: 'flags', set };
  if (!codes || !values || values.size === 0) return undefined;
  const names = [...values.keys()];
  // Values that are all numbers, and many, are told apart by ranges.
  const read = names.map((value) => (value.trim() === '' ? NaN : Number(value)));
  if (names.length > FEW_NUMBERS && read.every(Number.isFinite))
    return { of: 'numbers', values: Float64Array.from(codes, (code) => (code < 0 ? NaN : read[code]!)) };
  return { of: 'categories', codes, values: names };
}

function varies(column: Column): boolean {
  const of = column.of === 'categories' ? column.codes : column.of === 'numbers' ? column.values : column.set;
  for (let item = 1; item < of.length; item++) if (!Object.is(of[item], of[0])) return true;
  return false;
}
