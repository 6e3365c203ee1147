import type {
  CompleteAnswer,
  CountAnswer,
  ExcessAnswer,
  LogsSearchAnswer,
  PatternsSearchAnswer,
  VolumeAnswer,
} from '@flail/contract';
import { Body, Controller, Get, HttpCode, Post, Query, Req } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { badRequest } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';
import { windowOf } from './moments.js';
import {
  CompleteQueryDto,
  LogsSearchDto,
  PatternsSearchDto,
  ReadDto,
  ReadQueryDto,
  VolumeQueryDto,
} from './query.dto.js';
import { ExcessService } from './excess.service.js';
import { type Asked, QueryService } from './query.service.js';

/** Reads: records, patterns, volume, and what may be typed into an expression. */
@ApiTags('read')
@Controller('api/v1')
export class QueryController {
  constructor(
    private readonly queries: QueryService,
    private readonly excesses: ExcessService,
    private readonly store: RecordStore,
  ) {}

  @Post('logs/search')
  @HttpCode(200)
  @ApiOperation({ summary: 'Records of a window, newest or oldest first' })
  search(
    @Body() body: LogsSearchDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<LogsSearchAnswer> {
    return this.queries.search(
      this.asked(body, asker, request),
      body.order ?? 'newest',
      body.limit ?? 200,
      body.cursor,
    );
  }

  @Post('logs/count')
  @HttpCode(200)
  @ApiOperation({ summary: 'How many records match in focus, baseline, all time, and without the scope' })
  count(@Body() body: ReadDto, @WhoAsks() asker: Asker, @Req() request: Request): Promise<CountAnswer> {
    return this.queries.count(this.asked(body, asker, request));
  }

  @Post('patterns/search')
  @HttpCode(200)
  @ApiOperation({ summary: 'Records as patterns, counted in focus and baseline' })
  patterns(
    @Body() body: PatternsSearchDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<PatternsSearchAnswer> {
    return this.queries.patterns(
      this.asked(body, asker, request),
      body.order ?? 'surprise',
      body.limit ?? 200,
      body.grain,
    );
  }

  @Get('volume')
  @ApiOperation({ summary: 'Records by step of time, with those at level error and above' })
  volume(
    @Query() query: VolumeQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<VolumeAnswer> {
    return this.queries.volume(this.askedByQuery(query, asker, request), query.steps ?? 240);
  }

  @Get('excess')
  @ApiOperation({ summary: 'Stretches in which more records than usual are errors' })
  excess(
    @Query() query: ReadQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<ExcessAnswer> {
    return this.excesses.excess(this.askedByQuery(query, asker, request));
  }

  @Get('complete')
  @ApiOperation({ summary: 'Names of fields, or the commonest values of one' })
  complete(
    @Query() query: CompleteQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<CompleteAnswer> {
    const asked = this.askedByQuery(query, asker, request);
    const held = this.store.held(asked.dataset);
    const window = asked.window ?? (held && { from: held.from, to: held.to + 1 });
    if (!window) return Promise.resolve(query.field === undefined ? { fields: [] } : { values: [] });
    return this.queries.complete({ ...asked, window }, query.field, query.prefix ?? '', query.limit ?? 50);
  }

  private asked(body: ReadDto, asker: Asker, request: Request): Asked {
    return {
      asker,
      dataset: this.store.dataset(body.dataset),
      window: windowOf(body.window, 'window'),
      ...(body.baseline && { baseline: windowOf(body.baseline, 'baseline') }),
      scope: body.scope ?? '',
      signal: goneSignal(request),
    };
  }

  private askedByQuery(
    query: ReadQueryDto,
    asker: Asker,
    request: Request,
  ): Omit<Asked, 'window'> & { window?: Asked['window'] } {
    const { from, to, baselineFrom, baselineTo } = query;
    if ((from === undefined) !== (to === undefined))
      throw badRequest('window', 'Give both from and to, or neither.');
    if ((baselineFrom === undefined) !== (baselineTo === undefined)) {
      throw badRequest('window', 'Give both baselineFrom and baselineTo, or neither.');
    }
    return {
      asker,
      dataset: this.store.dataset(query.dataset),
      ...(from !== undefined && to !== undefined && { window: windowOf({ from, to }, 'window') }),
      ...(baselineFrom !== undefined &&
        baselineTo !== undefined && {
          baseline: windowOf({ from: baselineFrom, to: baselineTo }, 'baseline'),
        }),
      scope: query.scope ?? '',
      signal: goneSignal(request),
    };
  }
}

/** Fires when the asker has gone before the answer was there. */
function goneSignal(request: Request): AbortSignal {
  const controller = new AbortController();
  request.res?.once('close', () => {
    if (!request.res?.writableEnded) controller.abort();
  });
  return controller.signal;
}
