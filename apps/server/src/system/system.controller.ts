import type { DatasetSummary, RetentionBody, SourceSummary } from '@flail/contract';
import { Body, Controller, Get, Param, Put, Query } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { type Asker, WhoAsks } from '../access/asker.js';
import { SourceModel } from '../database/models.js';
import { notFound, Problem } from '../problems/problem.js';
import { windowBody } from '../query/moments.js';
import { RecordStore } from '../store/record-store.js';
import { DatasetQueryDto } from './dataset-query.dto.js';
import { RetentionDto } from './retention.dto.js';

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
    return rows.map(({ name, format, records, malformed, bytes, lastSeen, maxAge, maxBytes }) => ({
      name,
      format,
      records,
      malformed,
      bytes,
      lastSeen: lastSeen.toISOString(),
      ...((maxAge !== null || maxBytes !== null) && { retention: retentionBody(maxAge, maxBytes) }),
    }));
  }

  @Put('sources/:name/retention')
  @ApiOperation({ summary: 'For how long, or how many bytes of, the records of a source are kept' })
  async retain(
    @Param('name') name: string,
    @Body() body: RetentionDto,
    @Query() query: DatasetQueryDto,
    @WhoAsks() asker: Asker,
  ): Promise<RetentionBody> {
    if (asker.role !== 'operator')
      throw new Problem(403, 'not-granted', 'Not allowed', 'Only operators decide what is kept.');
    const row = await SourceModel.findOne({
      where: { datasetId: this.store.dataset(query.dataset).id, name },
    });
    if (!row) throw notFound('no-such-source', `There is no source "${name}".`);
    const maxAge = body.maxAgeHours === undefined ? null : body.maxAgeHours * 3600;
    await this.store.writes.run(() => row.update({ maxAge, maxBytes: body.maxBytes ?? null }));
    return retentionBody(row.maxAge, row.maxBytes);
  }
}

const retentionBody = (maxAge: number | null, maxBytes: number | null): RetentionBody => ({
  ...(maxAge !== null && { maxAgeHours: maxAge / 3600 }),
  ...(maxBytes !== null && { maxBytes }),
});
