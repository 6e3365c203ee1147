import type { MetricsQueryAnswer, MetricsSearchAnswer } from '@flail/contract';
import { Body, Controller, HttpCode, Post } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { type Asker, WhoAsks } from '../access/asker.js';
import { badRequest } from '../problems/problem.js';
import { windowOf } from '../query/moments.js';
import { RecordStore } from '../store/record-store.js';
import { MetricsQueryDto, MetricsSearchDto } from './series.dto.js';
import { SeriesQueryService, stepsIn } from './series-query.service.js';

const DEFAULT_POINTS = 240;

/** Reads of series. */
@ApiTags('read')
@Controller('api/v1/metrics')
export class SeriesController {
  constructor(
    private readonly queries: SeriesQueryService,
    private readonly store: RecordStore,
  ) {}

  @Post('search')
  @HttpCode(200)
  @ApiOperation({ summary: 'Metrics there are, with their labels' })
  search(@Body() body: MetricsSearchDto, @WhoAsks() asker: Asker): MetricsSearchAnswer {
    return this.queries.search(this.store.dataset(body.dataset), asker, body.query ?? '', body.limit ?? 100);
  }

  @Post('query')
  @HttpCode(200)
  @ApiOperation({
    summary: 'The numbers of a metric over time, over all of its series or a line for each group',
  })
  query(@Body() body: MetricsQueryDto, @WhoAsks() asker: Asker): Promise<MetricsQueryAnswer> {
    const where = body.where ?? {};
    for (const [label, values] of Object.entries(where)) {
      if (!Array.isArray(values) || !values.every((value) => typeof value === 'string'))
        throw badRequest('where', `The values of the label "${label}" are no list of texts.`);
    }
    const dataset = this.store.dataset(body.dataset);
    return this.queries.query(dataset, asker, {
      steps: stepsIn(
        this.store.shownPart(dataset, windowOf(body.window, 'window')),
        body.points ?? DEFAULT_POINTS,
      ),
      metric: body.metric,
      where,
      by: body.by ?? [],
      aggregate: body.aggregate,
    });
  }
}
