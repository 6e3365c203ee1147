import { Controller, Get } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { SourceModel } from '../database/models.js';
import { Problem } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';

/** The state of the server. */
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
}
