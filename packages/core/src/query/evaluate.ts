import { LEVELS, levelCode } from '../records/levels.js';
import type { SlotPlace } from '../grouping/slots.js';
import { type Quantity, quantityOf, unitOfField } from '../records/quantity.js';
import type { FieldValues, SegmentView } from '../segments/view.js';
import type { Condition, Operator } from './expression.js';
import { matcherOf } from './regex.js';
import { rowValues, slotOfField, type SlotPlaces } from './row-values.js';
import {
  both,
  byCode,
  either,
  opposite,
  type Rows,
  rowsOfSelection,
  type Selection,
  selectLayouts,
} from './selection.js';
import { selectMatches, selectPhrase, selectTexts } from './text-search.js';

export { type Rows } from './selection.js';

/** The records of a pattern: those of its layouts, and of a split pattern only those with (or without) some values. */
export interface PatternRecords {
  layouts: ReadonlySet<number>;
  split?: {
    /** Where the slot stands in each layout. */
    places: ReadonlyMap<number, SlotPlace>;
    values: ReadonlySet<string>;
    /** True for the records that have one of the values, false for the others. */
    among: boolean;
  };
}

/** The records of a pattern by its id or name. */
export type PatternLookup = ((ref: string) => PatternRecords) & {
  /** Where the slots of the pattern in question stand, for fields named `slot.1`, `slot.2`, … */
  slots?: SlotPlaces;
};

/** Evaluates a condition over a segment, row by row. Missing fields make a comparison false, and its opposite (`!=`, `not`) true. */
export async function evaluate(
  condition: Condition,
  view: SegmentView,
  patterns: PatternLookup,
): Promise<Rows> {
  return rowsOfSelection(view, await select(condition, view, patterns));
}

/** Evaluates a condition over a segment, as far as its rows are needed one by one. */
export async function select(
  condition: Condition,
  view: SegmentView,
  patterns: PatternLookup,
): Promise<Selection> {
  switch (condition.kind) {
    case 'all':
      return true;
    case 'and':
    case 'or': {
      const and = condition.kind === 'and';
      let rows: Selection = and;
      for (const term of condition.terms) {
        const own: Selection = await select(term, view, patterns);
        rows = await (and ? both(view, rows, own) : either(view, rows, own));
        if (rows === !and) return rows;
      }
      return rows;
    }
    case 'not':
      return opposite(await select(condition.term, view, patterns));
    case 'pattern':
      return patternRows(view, patterns(condition.ref));
    case 'text':
      return selectPhrase(view, condition.phrase.toLowerCase());
    case 'match': {
      const matcher = matcherOf(condition.pattern, condition.ignoreCase);
      if (condition.field === 'text') return selectMatches(view, matcher);
      return fieldRows(view, condition.field, (value) => matcher.matches(value), patterns.slots);
    }
    case 'presence': {
      const rows = await fieldRows(view, condition.field, () => true, patterns.slots);
      return condition.present ? rows : opposite(rows);
    }
    case 'in': {
      const { field, values } = condition;
      if (condition.literal) {
        const wanted = values.length === 1 ? values[0] : undefined;
        return fieldRows(view, field, (value) => values.includes(value), patterns.slots, { wanted });
      }
      const tests = values.map((value) => testOf(field, '=', value));
      return fieldRows(view, field, (value) => tests.some((test) => test(value)), patterns.slots);
    }
    case 'compare': {
      const { field, operator, value } = condition;
      if (operator === '!=') return opposite(await select({ ...condition, operator: '=' }, view, patterns));
      if (field === 'level') return levelRows(view, operator, value);
      if (field === 'time') return timeRows(view, operator, value);
      // What is not spelled in a column at all need not be looked for in it.
      const wanted = operator === '=' && isIdentifier(value) ? value : undefined;
      const test = testOf(field, operator, value);
      const number = numberTestOf(field, operator, value);
      return fieldRows(view, field, test, patterns.slots, { wanted, number });
    }
  }
}

/** A value that is equal to nothing but itself: no number, and without wildcards. */
const isIdentifier = (value: string): boolean => !value.includes('*') && quantityOf(value) === undefined;

async function patternRows(view: SegmentView, { layouts: ids, split }: PatternRecords): Promise<Selection> {
  const passes = view.summary.layouts.map((id) => ids.has(id));
  if (!split) return selectLayouts(passes);
  const layouts = await view.layouts();
  const { places, values, among } = split;
  // Per layout: all of its records, none, or those whose slot has one of the values.
  const tests = await Promise.all(
    view.summary.layouts.map(async (id, code): Promise<boolean | ((rank: number) => boolean)> => {
      if (!passes[code]) return false;
      const place = places.get(id);
      if (!place) return !among;
      if ('word' in place) return values.has(place.word) === among;
      const column = (await view.slots(code))[place.slot]!;
      return (rank) => values.has(column.get(rank)) === among;
    }),
  );
  const ranks = await view.ranks();
  const rows = new Uint8Array(view.count);
  for (let row = 0; row < rows.length; row++) {
    const test = tests[layouts[row]!]!;
    if (test === true || (test !== false && test(ranks[row]!))) rows[row] = 1;
  }
  return rows;
}

async function levelRows(view: SegmentView, operator: Operator, value: string): Promise<Rows> {
  const wanted = value.toLowerCase() === 'unset' ? 0 : levelCode(value) || NaN;
  const passes = LEVELS.map((_, code) => compare(code, wanted, operator) && (code > 0 || wanted === 0));
  return byCode(passes, () => view.levels());
}

async function timeRows(view: SegmentView, operator: Operator, value: string): Promise<Rows> {
  const wanted = Date.parse(value) * 1000;
  return (await view.times()).reduce((rows, micros, row) => {
    rows[row] = compare(micros, wanted, operator) ? 1 : 0;
    return rows;
  }, new Uint8Array(view.count));
}

function compare(left: number, right: number, operator: Operator): boolean {
  switch (operator) {
    case '=':
      return left === right;
    case '!=':
      return left !== right;
    case '<':
      return left < right;
    case '<=':
      return left <= right;
    case '>':
      return left > right;
    case '>=':
      return left >= right;
  }
}

/** Whether a field's value passes a comparison: equality by text, by number or by wildcard; order by number with unit, else by text. */
export function testOf(field: string, operator: Operator, wanted: string): (value: string) => boolean {
  if (field === 'level') {
    const code = levelCode(wanted);
    return (value) => (code > 0 ? levelCode(value) === code : value === wanted);
  }
  const number = numberTestOf(field, operator, wanted);
  if (number) {
    return (value) => {
      const found = number.read(value);
      return found !== undefined && number.passes(found.value);
    };
  }
  if (operator !== '=') return (value) => compare(value < wanted ? -1 : value > wanted ? 1 : 0, 0, operator);
  if (wanted.includes('*')) {
    const parts = wanted.split('*');
    return (value) => matchesWildcard(value, parts);
  }
  return (value) => value === wanted;
}

/** A comparison with a number: reads values that measure the same, and tells whether their number passes. */
interface NumberTest {
  read: (text: string) => Quantity | undefined;
  passes: (value: number) => boolean;
}

function numberTestOf(field: string, operator: Operator, wanted: string): NumberTest | undefined {
  const quantity = field === 'level' ? undefined : quantityOf(wanted);
  if (!quantity) return undefined;
  const unit = unitOfField(field);
  return {
    read: (text) => {
      let found = quantityOf(text);
      if (found?.dimension === 'number' && quantity.dimension !== 'number') found = quantityOf(text + unit);
      return found?.dimension === quantity.dimension ? found : undefined;
    },
    passes: (value) => compare(value, quantity.value, operator),
  };
}

/** True when the parts stand in the value in order, the first at its start and the last at its end. */
function matchesWildcard(value: string, parts: readonly string[]): boolean {
  const first = parts[0]!;
  const last = parts.at(-1)!;
  if (!value.startsWith(first) || !value.endsWith(last) || value.length < first.length + last.length)
    return false;
  let at = first.length;
  for (const part of parts.slice(1, -1)) {
    const found = value.indexOf(part, at);
    if (found < 0 || found + part.length > value.length - last.length) return false;
    at = found + part.length;
  }
  return true;
}

/** What is known of a test besides its answer, so that values need not be spelled out for it. */
interface KnownOfTest {
  /** The one value that passes, where there is only one. */
  wanted?: string | undefined;
  number?: NumberTest | undefined;
}

/** Rows whose value of a field passes a test: the line's own value, else what the sender declared. */
async function fieldRows(
  view: SegmentView,
  field: string,
  test: (value: string) => boolean,
  slots?: SlotPlaces,
  known: KnownOfTest = {},
): Promise<Selection> {
  if (slotOfField(field) !== undefined) {
    const found = await rowValues(view, { field }, slots);
    if (!found) return false;
    const passes = Uint8Array.from(found.values, (value) => (test(value) ? 1 : 0));
    return Uint8Array.from(found.codes, (code) => (code < 0 ? 0 : passes[code]!));
  }
  if (field === 'service') return byCode(view.summary.services.map(test), () => view.services());
  const contexts = view.summary.contexts.map((id) => view.catalog.context(id));
  if (field === 'source')
    return byCode(
      contexts.map((context) => test(context.source)),
      () => view.contexts(),
    );
  if (field === 'text') return selectTexts(view, test);
  if (field === 'level') {
    return byCode(
      LEVELS.map((level, code) => code > 0 && test(level)),
      () => view.levels(),
    );
  }
  if (field === 'time') return true;
  const declared = contexts.map((context) => {
    const value = context.attributes[field];
    return value !== undefined && test(value);
  });
  const isDeclared = contexts.some((context) => context.attributes[field] !== undefined);
  const { wanted } = known;
  if (wanted !== undefined && !isDeclared && !(await view.fieldMayHold(field, wanted.toLowerCase())))
    return false;
  const own = await view.field(field);
  if (!own) return byCode(declared, () => view.contexts());
  const rows = testField(view, own, test, known);
  // Where nothing passes, nothing more of the segment is read.
  if (!declared.includes(true) && !rows.includes(1)) return false;
  if (!declared.includes(true)) return rows;
  const codes = await view.contexts();
  for (let row = 0; row < rows.length; row++)
    if (own.rows[row]! < 0) rows[row] = declared[codes[row]!] ? 1 : 0;
  return rows;
}

function testField(
  view: SegmentView,
  { rows: index, column }: FieldValues,
  test: (value: string) => boolean,
  { wanted, number }: KnownOfTest,
): Uint8Array {
  const rows = new Uint8Array(view.count);
  const mark = (passes: (at: number) => boolean): Uint8Array => {
    for (let row = 0; row < rows.length; row++) if (index[row]! >= 0 && passes(index[row]!)) rows[row] = 1;
    return rows;
  };
  const { hex, scaled, dictionary } = column;
  if (wanted !== undefined && hex) {
    const found = hex.find(wanted);
    return mark((at) => found[at] === 1);
  }
  if (number && scaled?.prefix === '') {
    // All have one unit: none is written out, and one tells what they measure.
    const one = number.read(`1${scaled.suffix}`);
    const scale = 10 ** scaled.decimals;
    return one ? mark((at) => number.passes((scaled.numbers[at]! / scale) * one.value)) : rows;
  }
  const hits = dictionary?.values.map(test);
  return mark(hits ? (at) => hits[dictionary!.codes[at]!]! : (at) => test(column.get(at)));
}
