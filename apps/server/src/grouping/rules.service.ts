import type { Correction, Mark } from '@flail/core';
import { Injectable } from '@nestjs/common';
import { CorrectionModel, MarkModel } from '../database/models.js';
import { notFound } from '../problems/problem.js';
import { type Dataset, RecordStore } from '../store/record-store.js';

/** A rule as it is kept: what it says, when it was given, and when it was taken back. */
export interface Kept<T> {
  id: number;
  rule: T;
  at: Date;
  undoneAt: Date | null;
}

export type RuleKind = 'corrections' | 'marks';

const MODELS = { corrections: CorrectionModel, marks: MarkModel } as const;

/** What people said about patterns: corrections of the grouping, and marks. Kept in the database, never in what is stored of records. */
@Injectable()
export class RulesService {
  private readonly cache = new Map<string, readonly unknown[]>();

  constructor(private readonly store: RecordStore) {}

  /** The corrections that hold, in the order in which they were given. The same array until one changes. */
  corrections(dataset: Dataset): Promise<readonly Correction[]> {
    return this.holding<Correction>('corrections', dataset);
  }

  marks(dataset: Dataset): Promise<readonly Mark[]> {
    return this.holding<Mark>('marks', dataset);
  }

  /** All rules of a kind, those taken back included. */
  async list<T>(kind: RuleKind, dataset: Dataset): Promise<Kept<T>[]> {
    const rows = await MODELS[kind].findAll({ where: { datasetId: dataset.id }, order: ['id'] });
    return rows.map(({ id, rule, at, undoneAt }) => ({ id, rule: rule as T, at, undoneAt }));
  }

  async add<T extends Correction | Mark>(
    kind: RuleKind,
    dataset: Dataset,
    rules: readonly T[],
  ): Promise<Kept<T>[]> {
    const added = await this.store.writes.run(async () => {
      const rows: Kept<T>[] = [];
      for (const rule of rules) {
        const row = await MODELS[kind].create({
          datasetId: dataset.id,
          rule,
          at: new Date(),
          undoneAt: null,
        });
        rows.push({ id: row.id, rule, at: row.at, undoneAt: null });
      }
      return rows;
    });
    this.changed(kind, dataset);
    return added;
  }

  /** Takes a rule back, or gives it again. */
  async setUndone(kind: RuleKind, dataset: Dataset, id: number, undone: boolean): Promise<void> {
    const row = await MODELS[kind].findOne({ where: { datasetId: dataset.id, id } });
    if (!row) throw notFound('no-such-rule', `There is no rule ${id}.`);
    await this.store.writes.run(() => row.update({ undoneAt: undone ? new Date() : null }));
    this.changed(kind, dataset);
  }

  private changed(kind: RuleKind, dataset: Dataset): void {
    this.cache.delete(`${kind}/${dataset.id}`);
  }

  private async holding<T>(kind: RuleKind, dataset: Dataset): Promise<readonly T[]> {
    const key = `${kind}/${dataset.id}`;
    let rules = this.cache.get(key) as readonly T[] | undefined;
    if (!rules) {
      rules = (await this.list<T>(kind, dataset))
        .filter(({ undoneAt }) => undoneAt === null)
        .map(({ rule }) => rule);
      this.cache.set(key, rules);
    }
    return rules;
  }
}
