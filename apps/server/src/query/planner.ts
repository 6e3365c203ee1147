import {
  type Condition,
  type Grouping,
  overlaps,
  parseExpression,
  type PatternRecords,
  recordsOfPattern,
  slotOfField,
  type SlotPlaces,
  type Window,
} from '@flail/core';
import { Injectable } from '@nestjs/common';
import { type Asker, granted } from '../access/asker.js';
import { GroupingService } from '../grouping/grouping.service.js';
import { badRequest } from '../problems/problem.js';
import type { Dataset, SegmentInfo } from '../store/record-store.js';
import { SegmentGoneError } from '../store/segment-gone.js';

/** A question that came in: who asks, what of, within which windows and filter. */
export interface Asked {
  asker: Asker;
  dataset: Dataset;
  window: Window;
  baseline?: Window;
  scope: string;
  signal?: AbortSignal;
}

/** A filter kept within what the asker may see, with the records of the patterns that it names as the layouts group now. */
export interface Plan {
  condition: Condition;
  patterns: Map<string, PatternRecords>;
  /** Where the slots stand of the pattern that fields such as `slot.1` speak of. */
  slots?: SlotPlaces;
  grouping: Grouping;
}

/** A plan without the grouping. */
export type Scoped = Omit<Plan, 'grouping'>;

const MAX_TRIES = 5;

/** Turns what was asked into what the lanes can answer. */
@Injectable()
export class Planner {
  constructor(private readonly groupings: GroupingService) {}

  /**
   * What was asked, with the grouping, which may have to be waited for after a start.
   *
   * @param fields what is asked about beside the filter; they may speak of slots
   */
  async plan(
    asked: Pick<Asked, 'asker' | 'dataset' | 'scope'>,
    filter?: Condition,
    fields?: readonly string[],
  ): Promise<Plan> {
    const scoped = await this.scoped(asked, filter, fields);
    return { ...scoped, grouping: await this.groupings.current(asked.dataset) };
  }

  /** The same for questions whose answers name no pattern: the grouping only matters where the filter names one. */
  async scoped(
    { asker, dataset, scope }: Pick<Asked, 'asker' | 'dataset' | 'scope'>,
    filter: Condition = parseExpression(scope),
    fields: readonly string[] = [],
  ): Promise<Scoped> {
    const refs = refsIn(filter);
    const slotField = [...fields, ...fieldsIn(filter)].find((field) => slotOfField(field) !== undefined);
    const condition = granted(asker, filter);
    const patterns = new Map<string, PatternRecords>();
    if (refs.length === 0 && slotField === undefined) return { condition, patterns };
    const grouping = await this.groupings.current(dataset);
    for (const ref of refs) {
      const records = recordsOfPattern(grouping, ref);
      if (!records) throw badRequest('no-such-pattern', `There is no pattern "${ref}" in this data set.`);
      patterns.set(ref, records);
    }
    const slots = slotField === undefined ? undefined : slotPlaces(grouping, patterns, slotField);
    return { condition, patterns, ...(slots && { slots }) };
  }

  /** Segments that a window touches, the newest first. */
  segmentsIn(dataset: Dataset, ...windows: Window[]): number[] {
    const found: SegmentInfo[] = dataset.segments.filter(({ from, to }) =>
      windows.some((window) => overlaps(window, from, to)),
    );
    return found.sort((a, b) => b.to - a.to).map(({ id }) => id);
  }

  /** Runs a question again when segments were put together under it. */
  async steadily<T>(run: () => Promise<T>): Promise<T> {
    for (let attempt = 1; ; attempt++) {
      try {
        return await run();
      } catch (error) {
        if (attempt === MAX_TRIES || !(error instanceof SegmentGoneError)) throw error;
      }
    }
  }
}

function slotPlaces(
  grouping: Grouping,
  patterns: ReadonlyMap<string, PatternRecords>,
  field: string,
): SlotPlaces {
  const [only] = patterns.values();
  if (!only || patterns.size > 1)
    throw badRequest(
      'slot-without-pattern',
      `${field} is a slot of a pattern; name the one pattern that is meant, as in: pattern k7f3q and ${field} > 5.`,
    );
  const [layout] = only.layouts;
  const pattern = grouping.patterns.all().get(grouping.patterns.idOf(layout!))!;
  return grouping.patterns.slotsOf(pattern).places;
}

/** References to patterns in a filter. */
function refsIn(condition: Condition): string[] {
  if (condition.kind === 'pattern') return [condition.ref];
  return termsOf(condition).flatMap(refsIn);
}

function fieldsIn(condition: Condition): string[] {
  return 'field' in condition ? [condition.field] : termsOf(condition).flatMap(fieldsIn);
}

function termsOf(condition: Condition): Condition[] {
  if (condition.kind === 'not') return [condition.term];
  return condition.kind === 'and' || condition.kind === 'or' ? condition.terms : [];
}
