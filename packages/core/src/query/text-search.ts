import { type Layout, rebuildText } from '../patterns/layout.js';
import { holdsIdentifiers } from '../patterns/scanner.js';
import type { PackedField } from '../segments/packed.js';
import { slotColumn } from '../segments/segment.js';
import type { Trigrams } from '../segments/trigrams.js';
import type { ValueColumn } from '../segments/value-column.js';
import type { FieldValues, SegmentView } from '../segments/view.js';
import { fitPhrase, type Inside, type PhraseFit } from './phrase.js';
import type { Matcher } from './regex.js';
import { byCode, either, type Selection, selectLayouts } from './selection.js';

/** What is decided about the records of a layout: all, none, or those (by their rank in the layout) with 1. */
type Decision = boolean | Uint8Array;

/** Puts decisions about layouts together. */
async function decide(view: SegmentView, decisions: readonly Decision[]): Promise<Selection> {
  if (decisions.every((decision) => typeof decision === 'boolean')) return selectLayouts(decisions);
  const codes = await view.layouts();
  const ranks = await view.ranks();
  const rows = new Uint8Array(view.count);
  for (let row = 0; row < rows.length; row++) {
    const decision = decisions[codes[row]!]!;
    rows[row] = decision === true ? 1 : decision === false ? 0 : decision[ranks[row]!]!;
  }
  return rows;
}

/** The records of a layout whose rebuilt text passes a test. */
async function testTexts(
  view: SegmentView,
  code: number,
  test: (text: string) => boolean,
): Promise<Uint8Array> {
  const layout = view.layout(code);
  const slots = await view.slots(code);
  const passed = new Uint8Array(view.summary.layoutCounts[code]!);
  for (let rank = 0; rank < passed.length; rank++) {
    const text = rebuildText(
      layout,
      slots.map((slot) => slot.get(rank)),
    );
    if (test(text)) passed[rank] = 1;
  }
  return passed;
}

/** Rows whose text passes a test. */
export async function selectTexts(view: SegmentView, test: (text: string) => boolean): Promise<Selection> {
  const decisions: Decision[] = [];
  for (const code of view.summary.layouts.keys()) {
    const layout = view.layout(code);
    decisions.push(layout.types === '' ? test(layout.literals[0]!) : await testTexts(view, code, test));
  }
  return decide(view, decisions);
}

/** Rows whose text holds a match; only texts that hold what every match must are run through the expression. */
export async function selectMatches(view: SegmentView, matcher: Matcher): Promise<Selection> {
  const phrases = matcher.literals.map((literal) => fitsOf(literal.toLowerCase()));
  const needed = matcher.ignoreCase ? [] : matcher.literals;
  const filters = phrases.length > 0 ? await view.trigrams() : undefined;
  const certain = (layout: Layout, code: number): boolean | undefined => {
    const filter = filters?.get(slotColumn(view.chunkOf(code)));
    if (phrases.some((fits) => fits.of(layout, fits.maskOf(filter)).in === 'none')) return false;
    // Without slots all texts of a layout are one.
    return layout.types === '' ? matcher.matches(layout.literals[0]!) : undefined;
  };
  const decisions: Decision[] = [];
  for (const code of view.summary.layouts.keys()) {
    const decision = certain(view.layout(code), code);
    decisions.push(
      decision ??
        (await testTexts(
          view,
          code,
          (text) => needed.every((literal) => text.includes(literal)) && matcher.matches(text),
        )),
    );
  }
  return decide(view, decisions);
}

/** Rows whose text, or whose value of any field except level and time, holds a phrase (in lower case) in whatever case. */
export async function selectPhrase(view: SegmentView, phrase: string): Promise<Selection> {
  if (phrase === '') return true;
  const holds = (value: string): boolean => value.toLowerCase().includes(phrase);
  const filters = await view.trigrams();
  const contexts = view.summary.contexts.map((id) =>
    Object.values(view.catalog.context(id).attributes).some(holds),
  );
  let rows = either(
    view,
    await textRows(view, phrase, filters),
    await byCode(contexts, () => view.contexts()),
  );
  rows = either(view, await rows, await byCode(view.summary.services.map(holds), () => view.services()));
  for (const field of view.ownFields) {
    if ((await rows) === true) return true;
    if (field === 'level' || field === 'time' || field === 'service') continue;
    // Most fields hold nothing like the phrase, which their filter tells without unpacking them.
    if (!(await view.fieldMayHold(field, phrase))) continue;
    rows = either(view, await rows, fieldRows(view, (await view.columnOf(field))!, phrase));
  }
  return either(view, await rows, packedRows(view, await view.packed(), holds));
}

async function textRows(
  view: SegmentView,
  phrase: string,
  filters: ReadonlyMap<string, Trigrams> | undefined,
): Promise<Selection> {
  const fits = fitsOf(phrase);
  const masks = new Map<number, string>();
  const maskOf = (chunk: number): string => {
    let mask = masks.get(chunk);
    if (mask === undefined) masks.set(chunk, (mask = fits.maskOf(filters?.get(slotColumn(chunk)))));
    return mask;
  };
  const identifiers = await view.identifiers();
  const decisions: Decision[] = [];
  for (const code of view.summary.layouts.keys()) {
    const layout = view.layout(code);
    const chunk = view.chunkOf(code);
    const fit = fits.of(layout, maskOf(chunk));
    if (fit.in !== 'some') {
      decisions.push(fit.in === 'all');
      continue;
    }
    // A whole identifier is in few segments, which tell without being unpacked.
    const slots =
      identifiers?.get(slotColumn(chunk))?.mayHold(phrase) === false
        ? fit.slots.filter((slot) => !holdsIdentifiers(layout.types[slot]!))
        : fit.slots;
    decisions.push(
      slots.length > 0 || fit.across ? await fitted(view, code, phrase, { ...fit, slots }) : false,
    );
  }
  return decide(view, decisions);
}

/**
 * How a phrase fits layouts, worked out once for each layout and each set of the phrase's sequences that
 * values hold: a store has hundreds of segments, but few of either.
 */
class PhraseFits {
  private readonly characters: number[];
  private readonly known = new WeakMap<Layout, Map<string, PhraseFit>>();

  constructor(readonly phrase: string) {
    this.characters = [...phrase].map((character) => character.codePointAt(0)!);
  }

  /** One character for each of the phrase's sequences of three: 1 for those that values may hold. */
  maskOf(filter: Trigrams | undefined): string {
    const { characters } = this;
    let mask = '';
    for (let at = 2; at < characters.length; at++)
      mask +=
        filter?.mayHold(characters[at - 2]!, characters[at - 1]!, characters[at]!) === false ? '0' : '1';
    return mask;
  }

  of(layout: Layout, mask: string): PhraseFit {
    let byMask = this.known.get(layout);
    if (!byMask) this.known.set(layout, (byMask = new Map<string, PhraseFit>()));
    let fit = byMask.get(mask);
    if (!fit) {
      const inside: Inside = (end) => mask[end - 2] === '1';
      byMask.set(mask, (fit = fitPhrase(layout, this.phrase, inside)));
    }
    return fit;
  }
}

/** Phrases asked for last. */
const MAX_PHRASES = 16;
const phrases: PhraseFits[] = [];

function fitsOf(phrase: string): PhraseFits {
  const known = phrases.find((fits) => fits.phrase === phrase);
  if (known) return known;
  const fits = new PhraseFits(phrase);
  phrases.unshift(fits);
  phrases.length = Math.min(phrases.length, MAX_PHRASES);
  return fits;
}

/** The records of a layout that hold a phrase which some of them may hold. */
async function fitted(
  view: SegmentView,
  code: number,
  phrase: string,
  { slots, across }: PhraseFit,
): Promise<Uint8Array> {
  if (across) return testTexts(view, code, (text) => text.toLowerCase().includes(phrase));
  // Nothing is rebuilt: the phrase can only lie in one value.
  const columns = await view.slots(code);
  const passed = new Uint8Array(view.summary.layoutCounts[code]!);
  for (const slot of slots) markHolding(columns[slot]!, phrase, passed);
  return passed;
}

/** Marks the values of a column that hold a phrase (in lower case). */
function markHolding(column: ValueColumn, phrase: string, marks: Uint8Array): void {
  const { dictionary, joined, hex, scaled } = column;
  if (dictionary) {
    const hits = dictionary.values.map((value) => value.toLowerCase().includes(phrase));
    if (hits.includes(true))
      for (let at = 0; at < marks.length; at++) if (hits[dictionary.codes[at]!]) marks[at] = 1;
    return;
  }
  if (joined) {
    const text = joined.lower();
    const { ends } = joined;
    for (let found = text.indexOf(phrase), value = 0; found >= 0; found = text.indexOf(phrase, found + 1)) {
      while (ends[value]! <= found) value++;
      // A hit over the edge of two values is none.
      if (found + phrase.length <= ends[value]!) marks[value] = 1;
    }
    return;
  }
  if (hex) {
    hex.mark(phrase, marks);
    return;
  }
  if (scaled && markNumbers(scaled, phrase, marks)) return;
  for (let at = 0; at < marks.length; at++)
    if (marks[at] === 0 && column.get(at).toLowerCase().includes(phrase)) marks[at] = 1;
}

/**
 * Marks the numbers whose digits, with what stands around them, hold a phrase; by arithmetic, since writing
 * out millions of numbers would take seconds. False for numbers that are not whole or not of plain digits.
 */
function markNumbers(
  { numbers, decimals, width, prefix, suffix }: NonNullable<ValueColumn['scaled']>,
  phrase: string,
  marks: Uint8Array,
): boolean {
  if (decimals !== 0 || width !== 0) return false;
  const [before, after] = [prefix.toLowerCase(), suffix.toLowerCase()];
  if (before.includes(phrase) || after.includes(phrase)) {
    marks.fill(1);
    return true;
  }
  // The phrase is the end of what stands before, digits, and the beginning of what stands behind.
  const parts = /^(\D*)(\d+)(\D*)$/.exec(phrase);
  // A minus sign is the number's own where nothing stands before it.
  if (!parts || (prefix === '' && phrase.includes('-')))
    return prefix !== '' && !parts && !/\d/.test(before + after);
  const [, left, digits, right] = parts as unknown as [string, string, string, string];
  if (/\d/.test(before + after) || digits.length > 15) return false;
  if (!before.endsWith(left) || !after.startsWith(right)) return true;
  const wanted = Number(digits);
  const size = 10 ** digits.length;
  for (let at = 0; at < marks.length; at++) {
    let number = Math.abs(numbers[at]!);
    // The digits stand at the front where something stands before them, at the end where something follows, else anywhere.
    if (right !== '') {
      const whole = left === '' || number < size;
      if (whole && number % size === wanted && number >= size / 10) marks[at] = 1;
      else if (whole && number % size === wanted && String(number).endsWith(digits)) marks[at] = 1;
      continue;
    }
    if (left !== '') {
      while (number >= size) number = Math.floor(number / 10);
      if (number === wanted && (digits[0] !== '0' || digits === '0')) marks[at] = 1;
      continue;
    }
    for (; number >= size / 10 || number === wanted; number = Math.floor(number / 10)) {
      if (number % size === wanted && (digits[0] !== '0' || String(number).endsWith(digits))) {
        marks[at] = 1;
        break;
      }
      if (number < 10) break;
    }
  }
  return true;
}

/** Rows that have a field without a column of its own whose value passes a test. */
function packedRows(
  view: SegmentView,
  fields: ReadonlyMap<string, PackedField>,
  holds: (value: string) => boolean,
): Selection {
  let rows: Uint8Array | undefined;
  for (const { rows: own, values } of fields.values())
    for (const [at, value] of values.entries())
      if (holds(value)) (rows ??= new Uint8Array(view.count))[own[at]!] = 1;
  return rows ?? false;
}

/** Rows whose value of a field holds a phrase. */
function fieldRows(view: SegmentView, { rows: index, column }: FieldValues, phrase: string): Selection {
  const marks = new Uint8Array(column.length);
  markHolding(column, phrase, marks);
  if (!marks.includes(1)) return false;
  const rows = new Uint8Array(view.count);
  for (let row = 0; row < rows.length; row++) if (index[row]! >= 0) rows[row] = marks[index[row]!]!;
  return rows;
}
