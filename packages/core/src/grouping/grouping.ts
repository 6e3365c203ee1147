import type { Layout } from '../patterns/layout.js';
import { coarseJoins } from './coarse.js';
import type { Correction } from './correction.js';
import { type Form, formOf, formOfText, SLOT } from './form.js';
import { CERTAIN, groupLayouts, type Join } from './group-layouts.js';
import type { Identities } from './identity.js';
import { Sets } from './sets.js';
import { type PatternSlots, slotsOf } from './slots.js';

/** A group of layouts: what people see as one recurring line. */
export interface Pattern {
  /** Short and lasting: derived from the layout that founded the pattern, kept while it grows. */
  id: string;
  layouts: Layout[];
}

/** What a grouping was worked out to; plain data, so that it can be worked out in another thread. */
export interface Worked {
  /** Layouts that it covers: those with smaller ids. */
  size: number;
  joins: Join[];
  /** In which order patterns join further when fewer are wanted; between layouts. */
  coarse: { a: number; b: number; likeness: number }[];
}

/**
 * Works out how layouts group. The heavy part of a grouping; deterministic.
 *
 * @param layouts in the order of their ids
 * @param records records of each, where known
 */
export function workOut(layouts: readonly Layout[], records: readonly number[] = []): Worked {
  const joins = groupLayouts(layouts, records);
  const sets = new Sets(layouts.length);
  for (const { a, b } of joins) sets.join(a, b);
  const founders = layouts.flatMap((_, at) => (sets.of(at) === at ? [at] : []));
  const sizes = new Map<number, number>();
  layouts.forEach((_, at) => sizes.set(sets.of(at), (sizes.get(sets.of(at)) ?? 0) + (records[at] ?? 1)));
  const coarse = coarseJoins(
    founders.map((at) => formOf(layouts[at]!)),
    founders.map((at) => sizes.get(at)!),
  ).map(({ a, b, likeness }) => ({ a: founders[a]!, b: founders[b]!, likeness }));
  return { size: layouts.length, joins, coarse };
}

/** A slot whose values part a pattern. */
export interface Split {
  slot: number;
  /** Only these values become patterns of their own; all where absent. */
  values?: string[];
}

/** A way of taking layouts together: that of the grouping itself, or a finer or coarser one. */
export class Patterns {
  private groups: Map<string, Pattern> | undefined;
  private readonly slots = new Map<string, PatternSlots>();

  constructor(
    private readonly layouts: readonly Layout[],
    private readonly identities: Identities,
    private readonly sets: Sets,
    /** Splits by the id of their pattern. */
    readonly splits: ReadonlyMap<string, Split>,
    private readonly records: readonly number[],
  ) {}

  /** Id of the pattern that a layout belongs to. */
  idOf(layout: number): string {
    return this.identities.of(layout < this.layouts.length ? this.sets.of(layout) : layout);
  }

  /** The patterns, by id. */
  all(): ReadonlyMap<string, Pattern> {
    if (!this.groups) {
      this.groups = new Map();
      for (const layout of this.layouts) {
        const id = this.idOf(layout.id);
        const pattern = this.groups.get(id);
        if (pattern) pattern.layouts.push(layout);
        else this.groups.set(id, { id, layouts: [layout] });
      }
    }
    return this.groups;
  }

  /** A pattern, asked for by its present id or by the id of one that has joined it since. */
  find(id: string): Pattern | undefined {
    const founder = this.identities.layoutOf(id);
    return founder === undefined ? undefined : this.all().get(this.idOf(founder));
  }

  /** The slots of a pattern and where its layouts have them. */
  slotsOf(pattern: Pattern): PatternSlots {
    let slots = this.slots.get(pattern.id);
    if (!slots) {
      const largest = [...pattern.layouts].sort(
        (a, b) => (this.records[b.id] ?? 0) - (this.records[a.id] ?? 0) || a.id - b.id,
      );
      this.slots.set(pattern.id, (slots = slotsOf(largest)));
    }
    return slots;
  }
}

/**
 * The grouping of a data set's layouts: what was worked out, with people's corrections, as the grouping
 * itself believes in it or cut to a number of patterns. Cutting reads no record again.
 */
export class Grouping {
  readonly patterns: Patterns;
  private readonly order: readonly Join[];
  private readonly forced: readonly [number, number][];
  private readonly splits: Map<string, Split>;
  private readonly names = new Map<string, string>();

  /**
   * @param layouts in the order of their ids; those beyond what was worked out stand alone
   * @param records records of each layout, where known
   */
  constructor(
    private readonly layouts: readonly Layout[],
    private readonly worked: Worked,
    private readonly identities: Identities,
    corrections: readonly Correction[] = [],
    private readonly records: readonly number[] = [],
  ) {
    const apart = corrections.flatMap((rule) => {
      const layout = rule.kind === 'apart' ? identities.layoutOf(rule.layout) : undefined;
      return layout === undefined ? [] : [layout];
    });
    this.order = without(new Set(apart), worked.joins).sort((a, b) => b.belief - a.belief);
    this.forced = this.forcedJoins(corrections);
    this.splits = new Map();
    const sets = this.setsOf(this.order);
    for (const rule of corrections) {
      if (rule.kind === 'join' || rule.kind === 'slot' || rule.kind === 'apart') continue;
      const founder = identities.layoutOf(rule.pattern);
      if (founder === undefined || founder >= layouts.length) continue;
      const id = identities.of(sets.of(founder));
      if (rule.kind === 'name') this.names.set(rule.name, id);
      else this.splits.set(id, { slot: rule.slot, ...(rule.values && { values: rule.values }) });
    }
    this.patterns = new Patterns(layouts, identities, sets, this.splits, records);
  }

  /** The pattern that a person gave a name to, by that name. */
  named(name: string): string | undefined {
    return this.names.get(name);
  }

  /** Names that people gave, by pattern. */
  get namesOf(): ReadonlyMap<string, string> {
    return new Map([...this.names].map(([name, id]) => [id, name]));
  }

  /**
   * About so many patterns among the layouts that are present. More than the grouping believes in: its
   * least certain joins are left out. Fewer: what is most alike joins further.
   */
  cut(wanted: number, present: Iterable<number>): Patterns {
    const counted = new Set<number>();
    for (const layout of present) counted.add(layout);
    const sets = this.setsOf([]);
    const holds = new Uint8Array(this.layouts.length);
    let count = 0;
    for (const layout of counted) {
      const root = sets.of(layout);
      if (holds[root] === 0) count++;
      holds[root] = 1;
    }
    const join = (a: number, b: number): void => {
      const [one, other] = [sets.of(a), sets.of(b)];
      if (one === other) return;
      if (holds[one] === 1 && holds[other] === 1) count--;
      const either = holds[one]! | holds[other]!;
      sets.join(a, b);
      holds[sets.of(a)] = either;
    };
    for (const { a, b, belief } of this.order) {
      // Forms that are the same are never parted: nothing but values tells them apart.
      if (count <= wanted && belief < CERTAIN) break;
      join(a, b);
    }
    if (count > wanted) {
      for (const { a, b } of this.worked.coarse) {
        if (count <= wanted) break;
        join(a, b);
      }
    }
    return new Patterns(this.layouts, this.identities, sets, this.splits, this.records);
  }

  /** What joined into a pattern, the least certain last: pairs of layouts with the reason. */
  joinsOf(pattern: Pattern): Join[] {
    const own = new Set(pattern.layouts.map(({ id }) => id));
    return this.order.filter(({ a, b }) => own.has(a) && own.has(b));
  }

  /** What would join a pattern next, were fewer patterns wanted. */
  nextFor(pattern: Pattern): { layout: number; likeness: number } | undefined {
    const own = new Set(pattern.layouts.map(({ id }) => id));
    for (const { a, b, likeness } of this.worked.coarse) {
      if (own.has(a) !== own.has(b)) return { layout: own.has(a) ? b : a, likeness };
    }
    return undefined;
  }

  private setsOf(joins: readonly Join[]): Sets {
    const sets = new Sets(this.layouts.length);
    for (const [a, b] of this.forced) sets.join(a, b);
    for (const { a, b } of joins) sets.join(a, b);
    return sets;
  }

  private forcedJoins(corrections: readonly Correction[]): [number, number][] {
    const joins: [number, number][] = [];
    const slotForms = new Map<string, number>();
    for (const rule of corrections) {
      if (rule.kind === 'join') {
        const members = rule.patterns.flatMap((id) => {
          const layout = this.identities.layoutOf(id);
          return layout === undefined || layout >= this.layouts.length ? [] : [layout];
        });
        for (const member of members.slice(1)) joins.push([members[0]!, member]);
      } else if (rule.kind === 'slot') slotForms.set(renewed(rule.form), -1);
    }
    if (slotForms.size > 0) {
      this.layouts.forEach((layout, at) => {
        for (const key of generalKeys(formOf(layout))) {
          const first = slotForms.get(key);
          if (first === undefined) continue;
          if (first < 0) slotForms.set(key, at);
          else joins.push([first, at]);
        }
      });
    }
    return joins;
  }
}

/** Joins that leave some layouts out; what had joined through one of them joins directly. */
function without(apart: ReadonlySet<number>, joins: readonly Join[]): Join[] {
  if (apart.size === 0) return [...joins];
  const stands = new Map<number, number>();
  return joins.flatMap((join) => {
    const { a, b } = join;
    if (apart.has(a) === apart.has(b)) return apart.has(a) ? [] : [join];
    const [out, other] = apart.has(a) ? [a, b] : [b, a];
    const stand = stands.get(out);
    if (stand === undefined) stands.set(out, other);
    return stand === undefined ? [] : [{ ...join, a: stand, b: other }];
  });
}

/** The key of a form as forms are made now: rules outlive the way in which they were. */
const renewed = (form: string): string => formOfText(form.split('\u0000').join('')).key;

/** The form itself and those with a slot in the place of one word. */
function generalKeys({ tokens, kinds, key }: Form): string[] {
  return [
    key,
    ...tokens.flatMap((_, at) => (kinds[at] === 'word' ? [tokens.with(at, SLOT).join('\u0000')] : [])),
  ];
}

/** The form of a layout with a slot in the place of one of its words, for a correction; undefined where there is no such word. */
export function slotForm(layout: Layout, word: string, occurrence = 0): string | undefined {
  const { tokens, kinds } = formOf(layout);
  const places = tokens.flatMap((token, at) => (kinds[at] === 'word' && token === word ? [at] : []));
  const at = places[occurrence];
  return at === undefined ? undefined : tokens.with(at, SLOT).join('\u0000');
}
