import { recordsOfPattern } from '@flail/core';
import type { Regular, Steps } from '@flail/core/series';
import { Injectable } from '@nestjs/common';
import { type Asked, Planner } from './planner.js';
import { QueryPool } from './query-pool.js';

/** How often patterns came, step by step. */
@Injectable()
export class PatternRatesService {
  constructor(
    private readonly pool: QueryPool,
    private readonly planner: Planner,
  ) {}

  /** Records of each of some patterns in equal steps, within the scope that was asked for. */
  async rates(asked: Asked, ids: readonly string[], steps: Steps): Promise<Map<string, Regular>> {
    const plan = await this.planner.plan(asked);
    const found = new Map<string, Float64Array>();
    const patternOf = new Map<number, string>();
    for (const id of ids) {
      found.set(id, new Float64Array(steps.count));
      for (const layout of recordsOfPattern(plan.grouping, id)?.layouts ?? []) patternOf.set(layout, id);
    }
    const window = { from: steps.from, to: steps.from + steps.width * steps.count };
    await this.planner.steadily(async () => {
      for (const counts of found.values()) counts.fill(0);
      const parts = await this.pool.ask(
        { kind: 'layout steps', steps, layouts: [...patternOf.keys()] },
        plan,
        this.planner.segmentsIn(asked.dataset, window),
        asked.signal,
      );
      for (const flat of parts.flat())
        for (let at = 0; at < flat.length; at += 3) {
          const id = patternOf.get(flat[at]!);
          if (id !== undefined) found.get(id)![flat[at + 1]!]! += flat[at + 2]!;
        }
    });
    return new Map(
      [...found].map(([id, counts]) => [
        id,
        { from: steps.from / 1e6, step: steps.width / 1e6, values: [...counts] },
      ]),
    );
  }
}
