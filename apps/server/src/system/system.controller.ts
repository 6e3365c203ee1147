import type { ServerState } from '@flail/contract';
import { Controller, Get, Inject } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { CONFIG, type Config } from '../config/config.js';
import { SourceModel } from '../database/models.js';
import { EventLoop } from '../platform/event-loop.service.js';
import { Threads } from '../platform/threads.service.js';
import { Problem } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';

/** The state of the server. */
@ApiTags('system')
@Controller('api/v1')
export class SystemController {
  constructor(
    private readonly store: RecordStore,
    private readonly eventLoop: EventLoop,
    private readonly threads: Threads,
    @Inject(CONFIG) private readonly config: Config,
  ) {}

  @Get('health')
  @ApiOperation({ summary: 'Liveness and readiness' })
  async health(): Promise<ServerState> {
    try {
      await SourceModel.count();
    } catch (error) {
      throw new Problem(503, 'not-ready', 'Not ready', `The store does not answer: ${String(error)}.`);
    }
    const records = this.store
      .all()
      .filter(({ signal }) => signal === 'logs')
      .reduce((sum, { segments }) => sum + segments.reduce((all, { count }) => all + count, 0), 0);
    return {
      live: true,
      ready: true,
      records,
      open: this.config.open,
      eventLoop: this.eventLoop.measured(),
      threads: this.threads.all().map(({ lastReplaced, ...report }) => ({
        ...report,
        ...(lastReplaced && { lastReplaced: lastReplaced.toISOString() }),
      })),
    };
  }
}
