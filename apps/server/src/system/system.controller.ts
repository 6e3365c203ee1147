import type { DatasetSummary } from '@flail/contract';
import { Controller, Get } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { SourceModel } from '../database/models.js';
import { Problem } from '../problems/problem.js';
import { windowBody } from '../query/moments.js';
import { RecordStore } from '../store/record-store.js';

/** What there is: the state of the server, and its data sets. */
@ApiTags('system')
@Controller('api/v1')
export class SystemController {
  constructor(private readonly store: RecordStore) {}

  @Get('health')
  @ApiOperation({ summary: 'Liveness and readiness' })
  async health(): Promise<{ live: true; ready: true; records: number }> {
    try {
      await SourceModel.count();
    } catch (error) {
      throw new Problem(503, 'not-ready', 'Not ready', `The store does not answer: ${String(error)}.`);
    }
    const records = this.store
      .all()
      .filter(({ signal }) => signal === 'logs')
      .reduce((sum, { segments }) => sum + segments.reduce((all, { count }) => all + count, 0), 0);
    return { live: true, ready: true, records };
  }

  @Get('datasets')
  @ApiOperation({ summary: 'Data sets and the time they cover' })
  datasets(): DatasetSummary[] {
    return this.store
      .all()
      .filter(({ signal }) => signal === 'logs')
      .map((dataset) => {
        const held = this.store.held(dataset);
        return {
          id: dataset.key,
          name: dataset.name,
          records: dataset.segments.reduce((sum, { count }) => sum + count, 0),
          ...(held && { window: windowBody({ from: held.from, to: held.to + 1 }) }),
        };
      });
  }
}
