import type {
  CompleteAnswer,
  CountAnswer,
  ExcessAnswer,
  FieldsNews,
  PatternAnswer,
  PatternsSearchAnswer,
  RegularityAnswer,
  SearchNews,
  SummaryAnswer,
  VolumeAnswer,
} from '@flail/contract';
import { Body, Controller, Get, HttpCode, Param, Post, Query, Req, Res } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request, Response } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { RecordStore } from '../store/record-store.js';
import { toldAnswer } from '../told/told-answer.js';
import { askedByQuery, askedOf, heldOrAsked } from './asked.js';
import {
  CompleteQueryDto,
  FieldsDto,
  LogsSearchDto,
  PatternsSearchDto,
  ReadDto,
  ReadQueryDto,
  SummaryDto,
  VolumeQueryDto,
} from './query.dto.js';
import { ExcessService } from './excess.service.js';
import { PatternsService } from './patterns.service.js';
import { QueryService } from './query.service.js';
import { SummaryService } from './summary.service.js';

/** Reads: records, patterns, volume, and what may be typed into an expression. */
@ApiTags('read')
@Controller('api/v1')
export class QueryController {
  constructor(
    private readonly queries: QueryService,
    private readonly allPatterns: PatternsService,
    private readonly summaries: SummaryService,
    private readonly excesses: ExcessService,
    private readonly store: RecordStore,
  ) {}

  @Post('logs/search')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Records of a window, newest or oldest first',
    description:
      'Asked for application/x-ndjson, it tells line by line how far it is, records at the beginning of the page as soon as they are certain to stand there, and last the whole answer.',
  })
  async search(
    @Body() body: LogsSearchDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const { order = 'newest', limit = 200, cursor } = body;
    const asked = askedOf(this.store, body, asker, request);
    await toldAnswer<SearchNews>(request, response, (tell) =>
      this.queries.search(asked, order, limit, cursor, tell),
    );
  }

  @Post('logs/count')
  @HttpCode(200)
  @ApiOperation({ summary: 'How many records match in focus, baseline, all time, and without the scope' })
  count(@Body() body: ReadDto, @WhoAsks() asker: Asker, @Req() request: Request): Promise<CountAnswer> {
    return this.queries.count(askedOf(this.store, body, asker, request));
  }

  @Post('patterns/search')
  @HttpCode(200)
  @ApiOperation({ summary: 'Records as patterns, counted in focus and baseline' })
  patterns(
    @Body() body: PatternsSearchDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<PatternsSearchAnswer> {
    return this.allPatterns.search(
      askedOf(this.store, body, asker, request),
      body.order ?? 'surprise',
      body.limit ?? 200,
      body.grain,
    );
  }

  @Get('patterns/:id')
  @ApiOperation({
    summary: 'One pattern: its slots with their values in both windows, and what joined into it',
  })
  pattern(
    @Param('id') id: string,
    @Query() query: ReadQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<PatternAnswer> {
    return this.allPatterns.pattern(heldOrAsked(this.store, query, asker, request), id);
  }

  @Post('logs/summary')
  @HttpCode(200)
  @ApiOperation({ summary: 'The table that an expression with steps makes of the records' })
  summary(
    @Body() body: SummaryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<SummaryAnswer> {
    return this.summaries.summary(askedOf(this.store, body, asker, request), body.expression);
  }

  @Post('logs/fields')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Fields and values in the order of how they differ between focus and baseline',
    description:
      'Asked for application/x-ndjson, it tells line by line of the fields by what has been counted so far, and last the whole answer.',
  })
  async fields(
    @Body() body: FieldsDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const asked = askedOf(this.store, body, asker, request);
    await toldAnswer<FieldsNews>(request, response, (tell) =>
      this.summaries.fields(asked, body.limit ?? 20, tell),
    );
  }

  @Get('regularity')
  @ApiOperation({ summary: 'Whether records come at regular intervals, and which beats were missed' })
  regularity(
    @Query() query: ReadQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<RegularityAnswer> {
    return this.summaries.regularity(heldOrAsked(this.store, query, asker, request));
  }

  @Get('volume')
  @ApiOperation({ summary: 'Records by step of time, with those at level error and above' })
  volume(
    @Query() query: VolumeQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<VolumeAnswer> {
    return this.queries.volume(askedByQuery(this.store, query, asker, request), query.steps ?? 240);
  }

  @Get('excess')
  @ApiOperation({ summary: 'Stretches in which more records than usual are errors' })
  excess(
    @Query() query: ReadQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<ExcessAnswer> {
    return this.excesses.excess(askedByQuery(this.store, query, asker, request));
  }

  @Get('complete')
  @ApiOperation({ summary: 'Names of fields, or the commonest values of one' })
  complete(
    @Query() query: CompleteQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<CompleteAnswer> {
    const asked = askedByQuery(this.store, query, asker, request);
    const held = this.store.shown(asked.dataset);
    const window = asked.window ?? (held && { from: held.from, to: held.to + 1 });
    if (!window) return Promise.resolve(query.field === undefined ? { fields: [] } : { values: [] });
    return this.queries.complete({ ...asked, window }, query.field, query.prefix ?? '', query.limit ?? 50);
  }
}
