import type {
  MovedWithAnswer,
  PlotAnswer,
  ProgressBody,
  SeriesSearchAnswer,
  SeriesSource,
} from '@flail/contract';
import { Body, Controller, HttpCode, Post, Req, Res } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request, Response } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { badRequest } from '../problems/problem.js';
import { askedOf } from '../query/asked.js';
import { RecordStore } from '../store/record-store.js';
import { toldAnswer } from '../told/told-answer.js';
import { FindSeriesDto, PlotDto, RelatedDto, type SourceDto } from './plots.dto.js';
import { PlotsService } from './plots.service.js';
import { RelatedService } from './related.service.js';

const POINTS = 240;

/** Drawings of whatever has numbers over time. */
@ApiTags('read')
@Controller('api/v1/metrics')
export class PlotsController {
  constructor(
    private readonly plots: PlotsService,
    private readonly relations: RelatedService,
    private readonly store: RecordStore,
  ) {}

  @Post('plot')
  @HttpCode(200)
  @ApiOperation({
    summary: 'A metric, a figure of requests, a pattern or an expression over time, with what is normal',
  })
  plot(@Body() body: PlotDto, @WhoAsks() asker: Asker, @Req() request: Request): Promise<PlotAnswer> {
    const { points = POINTS, lead = 0, normal = false, ghosts = [] } = body;
    const asked = askedOf(this.store, body, asker, request);
    return this.plots.plot(asked, sourceIn(body.source), { points, lead, normal, ghosts });
  }

  @Post('find')
  @HttpCode(200)
  @ApiOperation({ summary: 'Everything that can be drawn, by words of its name, labels or unit' })
  find(
    @Body() body: FindSeriesDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<SeriesSearchAnswer> {
    return this.relations.find(askedOf(this.store, body, asker, request), body.query ?? '');
  }

  @Post('related')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Series that moved with one, with their lag, and those that stayed as ever',
    description: 'Asked for application/x-ndjson, it tells line by line how far it is.',
  })
  related(
    @Body() body: RelatedDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const asked = askedOf(this.store, body, asker, request);
    return toldAnswer<ProgressBody>(request, response, (tell): Promise<MovedWithAnswer> =>
      this.relations.related(asked, sourceIn(body.source), tell),
    );
  }
}

/** Only what belongs to the kind of source. */
function sourceIn({
  of,
  metric,
  where,
  by,
  aggregate,
  figure,
  service,
  operation,
  pattern,
  expression,
}: SourceDto): SeriesSource {
  for (const [label, values] of Object.entries(where ?? {}))
    if (!Array.isArray(values) || !values.every((value) => typeof value === 'string'))
      throw badRequest('where', `The values of the label "${label}" are no list of texts.`);
  switch (of) {
    case 'metric':
      return {
        of,
        metric: metric!,
        ...(where && { where }),
        ...(by && { by }),
        ...(aggregate && { aggregate }),
      };
    case 'requests':
      return {
        of,
        figure: figure!,
        ...(service !== undefined && { service }),
        ...(operation !== undefined && { operation }),
      };
    case 'pattern':
      return { of, pattern: pattern! };
    case 'expression':
      return { of, expression: expression! };
  }
}
