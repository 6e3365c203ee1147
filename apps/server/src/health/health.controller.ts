import type { ChecksAnswer, HealthAnswer, Objective, SuspectAnswer } from '@flail/contract';
import {
  Body,
  Controller,
  Delete,
  Get,
  HttpCode,
  Param,
  ParseIntPipe,
  Post,
  Put,
  Query,
  Req,
} from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request } from 'express';
import { type Asker, operatorsOnly, WhoAsks } from '../access/asker.js';
import { askedOf } from '../query/asked.js';
import { windowOf } from '../query/moments.js';
import { WindowedDto } from '../query/windowed.dto.js';
import { RequestsService } from '../requests/requests.service.js';
import { RecordStore } from '../store/record-store.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';
import { ChecksService } from './checks.service.js';
import { HealthDto, ObjectiveDto, SuspectDto } from './health.dto.js';
import { HealthService } from './health.service.js';
import { ObjectivesService } from './objectives.service.js';

/** Below this share, sound retries absorb what fails. */
const TOLERANCE = 0.01;

/** What is wrong, for whom, and what was promised. */
@ApiTags('read')
@Controller('api/v1')
export class HealthController {
  constructor(
    private readonly health: HealthService,
    private readonly standing: ChecksService,
    private readonly promised: ObjectivesService,
    private readonly requests: RequestsService,
    private readonly store: RecordStore,
  ) {}

  @Post('overview')
  @HttpCode(200)
  @ApiOperation({
    summary: 'How requests, runs and the business go, against what is normal and what was promised',
  })
  overview(@Body() body: HealthDto, @WhoAsks() asker: Asker, @Req() request: Request): Promise<HealthAnswer> {
    return this.health.health(askedOf(this.store, body, asker, request), body.tolerance ?? TOLERANCE);
  }

  @Post('checks/search')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Standing risks in plain words, and what probes from outside met with over a day',
  })
  checks(@Body() body: WindowedDto, @WhoAsks() asker: Asker): Promise<ChecksAnswer> {
    const dataset = this.store.dataset(body.dataset);
    const window = this.store.shownPart(dataset, windowOf(body.window, 'window'));
    return this.standing.checks(dataset, asker, window);
  }

  @Post('suspect')
  @HttpCode(200)
  @ApiOperation({ summary: 'One of several alike beside its siblings: does the symptom follow it?' })
  suspect(
    @Body() body: SuspectDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<SuspectAnswer> {
    const { service, field, value } = body;
    return this.requests.suspect(askedOf(this.store, body, asker, request), { service, field, value });
  }

  @Get('objectives')
  @ApiOperation({ summary: 'What is promised of requests' })
  objectives(@Query() { dataset }: DatasetQueryDto): Promise<Objective[]> {
    return this.promised.of(this.store.dataset(dataset));
  }

  @Post('objectives')
  @ApiOperation({ summary: 'Sets an objective' })
  make(
    @Query() { dataset }: DatasetQueryDto,
    @Body() body: ObjectiveDto,
    @WhoAsks() asker: Asker,
  ): Promise<Objective> {
    operatorsOnly(asker, 'Objectives');
    return this.promised.make(this.store.dataset(dataset), body);
  }

  @Put('objectives/:id')
  @ApiOperation({ summary: 'Changes an objective' })
  change(
    @Param('id', ParseIntPipe) id: number,
    @Query() { dataset }: DatasetQueryDto,
    @Body() body: ObjectiveDto,
    @WhoAsks() asker: Asker,
  ): Promise<Objective> {
    operatorsOnly(asker, 'Objectives');
    return this.promised.change(this.store.dataset(dataset), id, body);
  }

  @Delete('objectives/:id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Drops an objective' })
  remove(
    @Param('id', ParseIntPipe) id: number,
    @Query() { dataset }: DatasetQueryDto,
    @WhoAsks() asker: Asker,
  ): Promise<void> {
    operatorsOnly(asker, 'Objectives');
    return this.promised.remove(this.store.dataset(dataset), id);
  }
}
