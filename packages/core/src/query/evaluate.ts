import { LEVELS, levelCode } from '../records/levels.js';
import type { SlotPlace } from '../grouping/slots.js';
import { type Layout, rebuildText } from '../patterns/layout.js';
import type { FieldValues, SegmentView } from '../segments/view.js';
import type { Condition, Operator } from './expression.js';
import { phraseInLayout } from './phrase.js';
import { quantityOf, unitOfField } from './quantity.js';
import { type Matcher, matcherOf } from './regex.js';
import { rowValues, slotOfField, type SlotPlaces } from './row-values.js';

/** Which rows of a segment a condition holds for: all, none, or those with 1. */
export type Rows = true | false | Uint8Array;

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

/** Evaluates a condition over a segment. Missing fields make a comparison false, and its opposite (`!=`, `not`) true. */
export async function evaluate(
  condition: Condition,
  view: SegmentView,
  patterns: PatternLookup,
): Promise<Rows> {
  switch (condition.kind) {
    case 'all':
      return true;
    case 'and':
    case 'or': {
      const and = condition.kind === 'and';
      let rows: Rows = and;
      for (const term of condition.terms) {
        rows = and
          ? both(rows, await evaluate(term, view, patterns))
          : either(rows, await evaluate(term, view, patterns));
        if (rows === !and) return rows;
      }
      return rows;
    }
    case 'not':
      return opposite(await evaluate(condition.term, view, patterns));
    case 'pattern':
      return patternRows(view, patterns(condition.ref));
    case 'text':
      return textRows(view, condition.phrase.toLowerCase());
    case 'match': {
      const matcher = matcherOf(condition.pattern, condition.ignoreCase);
      if (condition.field === 'text') return matchRows(view, matcher);
      return fieldRows(view, condition.field, (value) => matcher.matches(value), patterns.slots);
    }
    case 'presence': {
      const rows = await fieldRows(view, condition.field, () => true, patterns.slots);
      return condition.present ? rows : opposite(rows);
    }
    case 'in': {
      if (condition.literal)
        return fieldRows(view, condition.field, (value) => condition.values.includes(value), patterns.slots);
      const tests = condition.values.map((value) => testOf(condition.field, '=', value));
      return fieldRows(view, condition.field, (value) => tests.some((test) => test(value)), patterns.slots);
    }
    case 'compare': {
      const { field, operator, value } = condition;
      if (operator === '!=') return opposite(await evaluate({ ...condition, operator: '=' }, view, patterns));
      if (field === 'level') return levelRows(view, operator, value);
      if (field === 'time') return timeRows(view, operator, value);
      return fieldRows(view, field, testOf(field, operator, value), patterns.slots);
    }
  }
}

function both(a: Rows, b: Rows): Rows {
  if (a === true) return b;
  if (b === true) return a;
  if (a === false || b === false) return false;
  return a.map((hit, row) => hit & b[row]!);
}

function either(a: Rows, b: Rows): Rows {
  if (a === false) return b;
  if (b === false) return a;
  if (a === true || b === true) return true;
  return a.map((hit, row) => hit | b[row]!);
}

function opposite(rows: Rows): Rows {
  if (rows === true || rows === false) return !rows;
  return rows.map((hit) => 1 - hit);
}

/** Rows whose code is among those that pass. */
function byCode(codes: Uint8Array | Uint16Array, passes: readonly boolean[]): Rows {
  if (passes.every((pass) => pass)) return true;
  if (!passes.includes(true)) return false;
  const rows = new Uint8Array(codes.length);
  const hits = Uint8Array.from(passes, Number);
  for (let row = 0; row < rows.length; row++) rows[row] = hits[codes[row]!]!;
  return rows;
}

async function patternRows(view: SegmentView, { layouts: ids, split }: PatternRecords): Promise<Rows> {
  const layouts = await view.layouts();
  const passes = view.summary.layouts.map((id) => ids.has(id));
  if (!split) return byCode(layouts, passes);
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
  return byCode(await view.levels(), passes);
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
  const quantity = quantityOf(wanted);
  const unit = unitOfField(field);
  const numeric = (value: string): boolean => {
    let found = quantityOf(value);
    if (found?.dimension === 'number' && quantity!.dimension !== 'number') found = quantityOf(value + unit);
    return found?.dimension === quantity!.dimension && compare(found.value, quantity!.value, operator);
  };
  if (operator !== '=') {
    return quantity ? numeric : (value) => compare(value < wanted ? -1 : value > wanted ? 1 : 0, 0, operator);
  }
  if (wanted.includes('*')) {
    const parts = wanted.split('*');
    return (value) => matchesWildcard(value, parts);
  }
  return quantity ? (value) => value === wanted || numeric(value) : (value) => value === wanted;
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

/** Rows whose value of a field passes a test: the line's own value, else what the sender declared. */
async function fieldRows(
  view: SegmentView,
  field: string,
  test: (value: string) => boolean,
  slots?: SlotPlaces,
): Promise<Rows> {
  if (slotOfField(field) !== undefined) {
    const found = await rowValues(view, { field }, slots);
    if (!found) return false;
    const passes = Uint8Array.from(found.values, (value) => (test(value) ? 1 : 0));
    return Uint8Array.from(found.codes, (code) => (code < 0 ? 0 : passes[code]!));
  }
  if (field === 'service') return byCode(await view.services(), view.summary.services.map(test));
  const contexts = view.summary.contexts.map((id) => view.catalog.context(id));
  if (field === 'source')
    return byCode(
      await view.contexts(),
      contexts.map((context) => test(context.source)),
    );
  if (field === 'text') return textTestRows(view, test);
  if (field === 'level') {
    return byCode(
      await view.levels(),
      LEVELS.map((level, code) => code > 0 && test(level)),
    );
  }
  if (field === 'time') return true;
  const own = await view.field(field);
  const declared = contexts.map((context) => {
    const value = context.attributes[field];
    return value !== undefined && test(value);
  });
  if (!own) return byCode(await view.contexts(), declared);
  const rows = testField(view, own, test);
  if (!declared.includes(true)) return rows;
  const codes = await view.contexts();
  for (let row = 0; row < rows.length; row++)
    if (own.rows[row]! < 0) rows[row] = declared[codes[row]!] ? 1 : 0;
  return rows;
}

function testField(view: SegmentView, values: FieldValues, test: (value: string) => boolean): Uint8Array {
  const { rows: index, column } = values;
  const rows = new Uint8Array(view.count);
  const { dictionary } = column;
  const hits = dictionary?.values.map(test);
  for (let row = 0; row < rows.length; row++) {
    const at = index[row]!;
    if (at >= 0 && (hits ? hits[dictionary!.codes[at]!] : test(column.get(at)))) rows[row] = 1;
  }
  return rows;
}

/** Rows of each layout that pass a test of their text, by the places of the layout's rows. */
async function testTexts(
  view: SegmentView,
  decide: (layoutCode: number) => 'all' | 'some' | 'none',
  test: (text: string) => boolean,
): Promise<Uint8Array> {
  const codes = await view.layouts();
  const ranks = await view.ranks();
  const hits: (true | false | Uint8Array)[] = [];
  for (let code = 0; code < view.summary.layouts.length; code++) {
    const decision = decide(code);
    if (decision !== 'some') {
      hits.push(decision === 'all');
      continue;
    }
    const layout = view.layout(code);
    const slots = await view.slots(code);
    const passed = new Uint8Array(view.summary.layoutCounts[code]!);
    for (let rank = 0; rank < passed.length; rank++) {
      if (
        test(
          rebuildText(
            layout,
            slots.map((slot) => slot.get(rank)),
          ),
        )
      )
        passed[rank] = 1;
    }
    hits.push(passed);
  }
  const rows = new Uint8Array(view.count);
  for (let row = 0; row < rows.length; row++) {
    const hit = hits[codes[row]!]!;
    rows[row] = hit === true ? 1 : hit === false ? 0 : hit[ranks[row]!]!;
  }
  return rows;
}

/** Rows whose text holds a match; only texts that hold what every match must are run through the expression. */
async function matchRows(view: SegmentView, matcher: Matcher): Promise<Rows> {
  const phrases = matcher.literals.map((literal) => literal.toLowerCase());
  const certain = (layout: Layout): 'all' | 'some' | 'none' => {
    for (const phrase of phrases) if (phraseInLayout(layout, phrase) === 'none') return 'none';
    // Without slots all texts of a layout are one.
    if (layout.types === '') return matcher.matches(layout.literals[0]!) ? 'all' : 'none';
    return 'some';
  };
  const needed = matcher.ignoreCase ? undefined : matcher.literals;
  return testTexts(
    view,
    (code) => certain(view.layout(code)),
    (text) => (needed?.every((literal) => text.includes(literal)) ?? true) && matcher.matches(text),
  );
}

function textTestRows(view: SegmentView, test: (text: string) => boolean): Promise<Uint8Array> {
  return testTexts(view, () => 'some', test);
}

/** Rows whose text, or whose value of any field except level and time, holds a phrase in whatever case. */
async function textRows(view: SegmentView, phrase: string): Promise<Rows> {
  if (phrase === '') return true;
  const holds = (value: string): boolean => value.toLowerCase().includes(phrase);
  let rows: Rows = await testTexts(view, (code) => phraseInLayout(view.layout(code), phrase), holds);
  const contexts = view.summary.contexts.map((id) =>
    Object.values(view.catalog.context(id).attributes).some(holds),
  );
  rows = either(rows, byCode(await view.contexts(), contexts));
  rows = either(rows, byCode(await view.services(), view.summary.services.map(holds)));
  for (const field of view.summary.fields) {
    if (rows === true) return true;
    if (field === 'level' || field === 'time' || field === 'service') continue;
    rows = either(rows, phraseInField(view, (await view.field(field))!, phrase, holds));
  }
  return rows;
}

function phraseInField(
  view: SegmentView,
  values: FieldValues,
  phrase: string,
  holds: (value: string) => boolean,
): Rows {
  const { joined } = values.column;
  // Values that differ are searched as one text: most fields don't hold the phrase at all.
  if (joined && !joined.text.toLowerCase().includes(phrase)) return false;
  return testField(view, values, holds);
}
