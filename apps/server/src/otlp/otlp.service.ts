import {
  logLines,
  metricPoints,
  type Read,
  type SenderLines,
  type Signal,
  spanLines,
} from '@flail/core/otlp';
import { Injectable } from '@nestjs/common';
import { Readable } from 'node:stream';
import { LogIntakeService } from '../intake/log-intake.service.js';
import { badRequest } from '../problems/problem.js';
import { SeriesService } from '../series/series.service.js';
import { type Dataset, RecordStore } from '../store/record-store.js';

/** What was not taken of a request. */
export interface Taken {
  rejected: number;
  reason: string;
}

/** Senders of one request that are stored side by side. */
const SIDE_BY_SIDE = 8;

/** Takes in what comes over the OpenTelemetry protocol: answered once all of it is stored. */
@Injectable()
export class OtlpService {
  constructor(
    private readonly lines: LogIntakeService,
    private readonly series: SeriesService,
    private readonly store: RecordStore,
  ) {}

  async take(dataset: Dataset, signal: Signal, request: unknown, key?: string): Promise<Taken> {
    switch (signal) {
      case 'logs':
        return this.takeLines(dataset, read(logLines, request), key);
      case 'traces':
        return this.takeLines(await this.store.spansOf(dataset), read(spanLines, request), key);
      case 'metrics':
        return this.series.take(dataset, read(metricPoints, request));
    }
  }

  private async takeLines(
    dataset: Dataset,
    { parts, rejected, reason }: Read<SenderLines>,
    key: string | undefined,
  ): Promise<Taken> {
    let next = 0;
    const work = async (): Promise<void> => {
      for (let at = next++; at < parts.length; at = next++) {
        const { sender, lines } = parts[at]!;
        await this.lines.take({
          dataset,
          ...sender,
          format: 'json',
          ...(key !== undefined && { key: `${key}/${at}` }),
          body: Readable.from([Buffer.from(lines.join('\n'))]),
        });
      }
    };
    await Promise.all(Array.from({ length: SIDE_BY_SIDE }, work));
    return { rejected, reason };
  }
}

function read<T>(reader: (request: unknown) => T, request: unknown): T {
  try {
    return reader(request);
  } catch (error) {
    throw badRequest('not-otlp', error instanceof TypeError ? error.message : 'The body is no request.');
  }
}
