import type { RunAnswer, RunsSearchAnswer, RunsTallyAnswer, StuckBody } from '@flail/contract';
import { Body, Controller, Get, HttpCode, Param, Post, Query, Req } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request } from 'express';
import { type Asker, operatorsOnly, WhoAsks } from '../access/asker.js';
import { heldOrAsked } from '../query/asked.js';
import { windowOf } from '../query/moments.js';
import { ReadQueryDto } from '../query/query.dto.js';
import { QueryService } from '../query/query.service.js';
import { WindowedDto } from '../query/windowed.dto.js';
import { RecordStore } from '../store/record-store.js';
import { RunsSearchDto } from './runs.dto.js';
import { RunsService } from './runs.service.js';
import { OutsideSystems } from '../outside/outside-systems.service.js';

const DEFAULT_LIMIT = 500;
/** Lines of one run that are sent, at most. */
const MOST_LINES = 500;

/** Runs of jobs: which there were, how they went, and one of them in full. */
@ApiTags('read')
@Controller('api/v1/runs')
export class RunsController {
  constructor(
    private readonly runs: RunsService,
    private readonly outside: OutsideSystems,
    private readonly queries: QueryService,
    private readonly store: RecordStore,
  ) {}

  @Post('search')
  @HttpCode(200)
  @ApiOperation({ summary: 'Runs that touch a window' })
  search(@Body() body: RunsSearchDto, @WhoAsks() asker: Asker): Promise<RunsSearchAnswer> {
    const dataset = this.store.dataset(body.dataset);
    const window = this.store.shownPart(dataset, windowOf(body.window, 'window'));
    return this.runs.search(dataset, asker, window, body.limit ?? DEFAULT_LIMIT, {
      ...(body.job !== undefined && { job: body.job }),
      ...(body.states && { states: body.states }),
    });
  }

  @Post('tally')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Jobs with a stroke for each run, by the parameter that matters; and what is stuck',
  })
  async tally(@Body() body: WindowedDto, @WhoAsks() asker: Asker): Promise<RunsTallyAnswer> {
    const dataset = this.store.dataset(body.dataset);
    const window = this.store.shownPart(dataset, windowOf(body.window, 'window'));
    return {
      jobs: await this.runs.tally(dataset, asker, window),
      stuck: await this.runs.stuck(dataset, asker, window),
      actions: this.actions(),
    };
  }

  @Post('stuck')
  @HttpCode(200)
  @ApiOperation({ summary: 'Runs that stay in a state for longer than is usual for their job' })
  stuck(@Body() body: WindowedDto, @WhoAsks() asker: Asker): Promise<StuckBody[]> {
    const dataset = this.store.dataset(body.dataset);
    return this.runs.stuck(dataset, asker, this.store.shownPart(dataset, windowOf(body.window, 'window')));
  }

  @Get(':run')
  @ApiOperation({
    summary: 'One run: its states, steps and workers, where its time went, the last good one, its lines',
  })
  async one(
    @Param('run') run: string,
    @Query() query: ReadQueryDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<RunAnswer> {
    const asked = heldOrAsked(this.store, query, asker, request);
    const own = await this.runs.inFull(asked.dataset, asker, run);
    const scope = `run = ${JSON.stringify(run)}`;
    const { records, matched } = await this.queries.search({ ...asked, scope }, 'newest', MOST_LINES);
    return { ...own, logs: records.reverse(), matched, actions: this.actions() };
  }

  @Post(':run/stop')
  @HttpCode(204)
  @ApiOperation({ summary: 'Asks the scheduler to stop a run' })
  stop(@Param('run') run: string, @WhoAsks() asker: Asker): Promise<void> {
    operatorsOnly(asker, 'Actions');
    return this.outside.ask({ system: 'scheduler', run, verb: 'stop' });
  }

  @Post(':run/retry')
  @HttpCode(204)
  @ApiOperation({ summary: 'Asks the scheduler to try a run again' })
  retry(@Param('run') run: string, @WhoAsks() asker: Asker): Promise<void> {
    operatorsOnly(asker, 'Actions');
    return this.outside.ask({ system: 'scheduler', run, verb: 'retry' });
  }

  /** What can be asked of a run. */
  private actions(): ('stop' | 'retry')[] {
    return this.outside.has('scheduler') ? ['stop', 'retry'] : [];
  }
}
