import type { RulesBundle } from '@flail/contract';
import type { Correction, Mark } from '@flail/core';
import { Injectable } from '@nestjs/common';
import type { Dataset } from '../store/record-store.js';
import { GroupingService } from './grouping.service.js';
import { correctionOf, markBody, markOf } from './rule-bodies.js';
import type { RulesBundleDto } from './rules.dto.js';
import { type RuleKind, RulesService } from './rules.service.js';

/** Carries corrections and marks from one data set to another. */
@Injectable()
export class RulesTransfer {
  constructor(
    private readonly rules: RulesService,
    private readonly groupings: GroupingService,
  ) {}

  /** Those that hold. */
  async export(dataset: Dataset): Promise<RulesBundle> {
    return {
      version: 1,
      corrections: [...(await this.rules.corrections(dataset))],
      marks: (await this.rules.marks(dataset)).map(markBody),
    };
  }

  /** Takes them in, but for those that hold already; tells how many were new. */
  async import(dataset: Dataset, bundle: RulesBundleDto): Promise<{ corrections: number; marks: number }> {
    const grouping = await this.groupings.current(dataset);
    const corrections = bundle.corrections.map((body) => correctionOf(body, grouping, true));
    const add = async <T extends Correction | Mark>(
      kind: RuleKind,
      rules: T[],
      holding: readonly unknown[],
    ): Promise<number> => {
      const known = new Set(holding.map((rule) => JSON.stringify(rule)));
      const fresh = rules.filter((rule) => !known.has(JSON.stringify(rule)));
      return (await this.rules.add<T>(kind, dataset, fresh)).length;
    };
    return {
      corrections: await add('corrections', corrections, await this.rules.corrections(dataset)),
      marks: await add('marks', bundle.marks.map(markOf), await this.rules.marks(dataset)),
    };
  }
}
