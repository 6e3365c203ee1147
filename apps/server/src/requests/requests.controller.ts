import type {
  RequestAnswer,
  RequestsAnalysisAnswer,
  RequestsSearchAnswer,
  RequestsWayAnswer,
  TwinAnswer,
} from '@flail/contract';
import { Body, Controller, Get, HttpCode, Param, Post, Query, Req } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { askedOf, heldOrAsked } from '../query/asked.js';
import { ReadQueryDto } from '../query/query.dto.js';
import { RecordStore } from '../store/record-store.js';
import { RequestsAnalysisDto, RequestsSearchDto, RequestsWayDto } from './requests.dto.js';
import { RequestsService } from './requests.service.js';

/** Steps of time that durations are shown by, at most. */
const STEPS = 120;
/** Microseconds of a step, at least. */
const SHORTEST_STEP = 1_000_000;

/** Requests: which there were, how they went, and one of them in full. */
@ApiTags('read')
@Controller('api/v1/requests')
export class RequestsController {
  constructor(
    private readonly requests: RequestsService,
    private readonly store: RecordStore,
  ) {}

  @Post('search')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Requests of a window with their figures in focus and baseline',
    description:
      'A request is in scope when its records taken together are: a comparison holds where any span or line of it has it, and "not" leaves out requests of which any has it.',
  })
  search(
    @Body() body: RequestsSearchDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<RequestsSearchAnswer> {
    const { preset = 'all', order = 'newest', limit = 100, offset = 0 } = body;
    const { service, operation, slower, faster, cohort } = body;
    const asked = askedOf(this.store, body, asker, request);
    const length = asked.window.to - asked.window.from;
    const steps = Math.max(1, Math.min(STEPS, Math.floor(length / SHORTEST_STEP)));
    return this.requests.search(asked, {
      preset,
      order,
      limit,
      offset,
      steps,
      ...(service !== undefined && { service }),
      ...(operation !== undefined && { operation }),
      ...(slower !== undefined && { slower }),
      ...(faster !== undefined && { faster }),
      ...(cohort !== undefined && { cohort }),
    });
  }

  @Post('analysis')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Where failing begins, how it spreads over instances and fields, and what time is made of',
  })
  analysis(
    @Body() body: RequestsAnalysisDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<RequestsAnalysisAnswer> {
    const { service, operation } = body;
    return this.requests.analysis(askedOf(this.store, body, asker, request), {
      ...(service !== undefined && { service }),
      ...(operation !== undefined && { operation }),
    });
  }

  @Post('way')
  @HttpCode(200)
  @ApiOperation({ summary: 'By which calls requests go, and how many of them fail there' })
  way(
    @Body() { preset = 'all', ...body }: RequestsWayDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<RequestsWayAnswer> {
    return this.requests.way(askedOf(this.store, body, asker, request), preset);
  }

  @Get(':trace')
  @ApiOperation({ summary: 'One request: its spans, where its time went, and its lines' })
  one(
    @Param('trace') trace: string,
    @Query() query: ReadQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<RequestAnswer> {
    return this.requests.one(heldOrAsked(this.store, query, asker, request), trace);
  }

  @Get(':trace/twin')
  @ApiOperation({ summary: 'The healthy request that is most like one, and what tells the two apart' })
  twin(
    @Param('trace') trace: string,
    @Query() query: ReadQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<TwinAnswer> {
    return this.requests.twin(heldOrAsked(this.store, query, asker, request), trace);
  }
}
