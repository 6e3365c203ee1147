import type { CallBody, EntityBody, TopologyAnswer } from '@flail/contract';
import { overlaps, type Window } from '@flail/core';
import type { Call } from '@flail/core/topology';
import { Injectable } from '@nestjs/common';
import type { Asker } from '../access/asker.js';
import { momentText } from '@flail/core/time';
import { Planner } from '../query/planner.js';
import { QueryPool } from '../query/query-pool.js';
import { SummaryService } from '../query/summary.service.js';
import { type Dataset, RecordStore } from '../store/record-store.js';

/** Spans that calls are told from, at most; of more the newest. */
const MAX_SPANS = 400_000;

/** Derives what runs where, and who calls whom, from what has arrived. */
@Injectable()
export class TopologyService {
  constructor(
    private readonly store: RecordStore,
    private readonly planner: Planner,
    private readonly summaries: SummaryService,
    private readonly pool: QueryPool,
  ) {}

  async topology(dataset: Dataset, asker: Asker, window: Window): Promise<TopologyAnswer> {
    const spans = await this.store.spansOf(dataset);
    const entities = new Map<string, EntityBody>();
    for (const own of [dataset, spans]) await this.addEntities(entities, own, asker, window);
    const { calls, callsFrom } = await this.planner.steadily(async () => {
      const { newest, callsFrom: reached } = newestSpans(spans, window);
      return { calls: await this.pool.calls(window, newest), callsFrom: reached };
    });
    return {
      entities: [...entities.values()].sort((a, b) => (nameOf(a) < nameOf(b) ? -1 : 1)),
      calls: calls.filter((call) => maySee(asker, call)).map(bodyOf),
      ...(callsFrom !== undefined && { callsFrom: momentText(callsFrom) }),
    };
  }

  private async addEntities(
    entities: Map<string, EntityBody>,
    dataset: Dataset,
    asker: Asker,
    window: Window,
  ): Promise<void> {
    const asked = { asker, dataset, window };
    const { rows } = await this.summaries.summary(asked, 'then count by service, instance, host, site');
    for (const row of rows) {
      const [service, instance, host, site, records] = row as [
        string,
        string | null,
        string | null,
        string | null,
        number,
      ];
      const entity = {
        service,
        ...(instance !== null && { instance }),
        ...(host !== null && { host }),
        ...(site !== null && { site }),
      };
      const key = JSON.stringify(Object.values(entity));
      const known = entities.get(key);
      if (known) known.records += records;
      else entities.set(key, { ...entity, records });
    }
  }
}

/** The newest segments of a window whose spans are not too many together. */
function newestSpans(
  { segments }: Dataset,
  window: Window,
): { newest: number[]; callsFrom: number | undefined } {
  const touched = segments.filter(({ from, to }) => overlaps(window, from, to)).sort((a, b) => b.to - a.to);
  const newest: number[] = [];
  let spans = 0;
  for (const { id, count, to } of touched) {
    if (newest.length > 0 && spans + count > MAX_SPANS) return { newest, callsFrom: to };
    newest.push(id);
    spans += count;
  }
  return { newest, callsFrom: undefined };
}

const nameOf = ({ service, instance = '' }: EntityBody): string => `${service}/${instance}`;

/** A call is seen by whoever may see one of its ends. */
const maySee = ({ services }: Asker, { from, to }: Call): boolean =>
  services === 'all' || services.includes(from) || services.includes(to);

const bodyOf = ({ from, to, calls, failed, seconds, p95 }: Call): CallBody => ({
  from,
  to,
  calls,
  failed,
  duration: seconds / calls,
  p95,
});
