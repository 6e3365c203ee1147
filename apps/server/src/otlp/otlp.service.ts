import type { WindowBody } from '@flail/contract';
import { Injectable } from '@nestjs/common';
import { LogIntakeService } from '../intake/log-intake.service.js';
import { SeriesService } from '../series/series.service.js';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { DecodePool } from './decode-pool.js';
import type { DecodeTask } from './decode-worker.js';

/** What was not taken of a request. */
export interface Taken {
  accepted: number;
  rejected: number;
  reason: string;
  /** True when all of it had been stored before, under the same key. */
  repeated?: boolean;
  /** Time of the first and the last of it, where that is known. */
  window?: WindowBody;
}

/** Takes in what comes in other protocols than lines: answered once all of it is stored. */
@Injectable()
export class OtlpService {
  constructor(
    private readonly decoders: DecodePool,
    private readonly lines: LogIntakeService,
    private readonly series: SeriesService,
    private readonly store: RecordStore,
  ) {}

  async take(dataset: Dataset, task: DecodeTask, key?: string): Promise<Taken> {
    const { parts, points, rejected, reason } = await this.decoders.read(task);
    if (points) {
      const stored = await this.series.take(dataset, points);
      return {
        accepted: points.count - stored.rejected,
        rejected: rejected + stored.rejected,
        reason: reason || stored.reason,
      };
    }
    const of = task.signal === 'traces' ? await this.store.spansOf(dataset) : dataset;
    const accepted = parts.reduce((sum, { lines }) => sum + lines, 0);
    if (parts.length === 0) return { accepted, rejected, reason };
    const { repeated, window } = await this.lines.takeParts({
      dataset: of,
      parts,
      ...(key !== undefined && { key }),
    });
    return { accepted, rejected, reason, repeated, ...(window && { window }) };
  }
}
