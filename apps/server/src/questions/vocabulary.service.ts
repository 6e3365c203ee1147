import type { Vocabulary } from '@flail/core/questions';
import { Injectable } from '@nestjs/common';
import { LRUCache } from 'lru-cache';
import type { Asked } from '../query/planner.js';
import { QueryService } from '../query/query.service.js';
import { RequestsService } from '../requests/requests.service.js';
import { RunsService } from '../runs/runs.service.js';
import { RecordStore } from '../store/record-store.js';

const FRESH_MS = 60_000;
const DATASETS = 4;
const MOST = 500;
/** Names are told from so much time before the end of what is held, microseconds. */
const LOOKED = 24 * 3600 * 1_000_000;
/** Fields whose values name a thing by themselves. */
const NAMING = ['instance', 'host', 'site'];

/** Knows what questions may name: services, operations, jobs, fields, instances. */
@Injectable()
export class VocabularyService {
  private readonly kept = new LRUCache<string, Vocabulary>({ max: DATASETS, ttl: FRESH_MS });

  constructor(
    private readonly store: RecordStore,
    private readonly queries: QueryService,
    private readonly requests: RequestsService,
    private readonly runs: RunsService,
  ) {}

  async vocabulary(asked: Asked): Promise<Vocabulary> {
    const key = JSON.stringify([asked.dataset.key, asked.asker.services]);
    let known = this.kept.get(key);
    if (!known) this.kept.set(key, (known = await this.read(asked)));
    return known;
  }

  private async read({ dataset, asker }: Asked): Promise<Vocabulary> {
    const { from, to } = this.store.shown(dataset) ?? { from: 0, to: 0 };
    const window = { from: Math.max(from, to - LOOKED), to: to + 1 };
    const asked: Asked = { dataset, asker, window, scope: '' };
    const spans = { ...asked, dataset: await this.store.spansOf(dataset) };
    const fieldsOf = async (own: Asked): Promise<string[]> =>
      (await this.queries.complete(own, undefined, '', MOST)).fields ?? [];
    const valuesOf = async (field: string): Promise<string[]> =>
      (await this.queries.complete(asked, field, '', MOST)).values?.map(({ value }) => value) ?? [];
    const [lines, requested, services, runs, listed, ...naming] = await Promise.all([
      fieldsOf(asked),
      fieldsOf(spans),
      valuesOf('service'),
      this.runs.plain(dataset, asker, window, {}),
      this.requests.search(asked, { preset: 'all', order: 'newest', limit: 0, offset: 0, steps: 1 }),
      ...NAMING.map(valuesOf),
    ]);
    const operations = listed.operations.map(({ service, operation }) => ({ service, operation }));
    return {
      services: [...new Set([...services, ...operations.map(({ service }) => service)])],
      operations,
      jobs: [...new Set(runs.map(({ job }) => job))],
      fields: [...new Set([...lines, ...requested])],
      parameters: [...new Set(runs.flatMap(({ parameters }) => Object.keys(parameters)))],
      values: NAMING.flatMap((field, at) => (naming[at] ?? []).map((value) => ({ field, value }))),
    };
  }
}
