import type { DatasetSummary, SourceSummary } from '@flail/contract';
import { Controller, Get, Query } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { type Asker, WhoAsks } from '../access/asker.js';
import { SourceModel } from '../database/models.js';
import { Problem } from '../problems/problem.js';
import { windowBody } from '../query/moments.js';
import { RecordStore } from '../store/record-store.js';
import { DatasetQueryDto } from './dataset-query.dto.js';

/** What there is: the state of the server, its data sets and their sources. */
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
      .reduce((sum, { segments }) => sum + segments.reduce((all, { count }) => all + count, 0), 0);
    return { live: true, ready: true, records };
  }

  @Get('datasets')
  @ApiOperation({ summary: 'Data sets and the time they cover' })
  datasets(): DatasetSummary[] {
    return this.store.all().map((dataset) => {
      const held = this.store.held(dataset);
      return {
        id: dataset.key,
        name: dataset.name,
        records: dataset.segments.reduce((sum, { count }) => sum + count, 0),
        ...(held && { window: windowBody({ from: held.from, to: held.to + 1 }) }),
      };
    });
  }

  @Get('sources')
  @ApiOperation({ summary: 'Who sends: formats, records, malformed lines' })
  async sources(@Query() query: DatasetQueryDto, @WhoAsks() asker: Asker): Promise<SourceSummary[]> {
    // Sources are not tied to services yet, so only who may see all services may see them.
    if (asker.services !== 'all')
      throw new Problem(403, 'not-granted', 'Not allowed', 'Sources are shown to operators only.');
    const rows = await SourceModel.findAll({
      where: { datasetId: this.store.dataset(query.dataset).id },
      order: ['name'],
    });
    return rows.map(({ name, format, records, malformed, bytes, lastSeen }) => ({
      name,
      format,
      records,
      malformed,
      bytes,
      lastSeen: lastSeen.toISOString(),
    }));
  }
}
