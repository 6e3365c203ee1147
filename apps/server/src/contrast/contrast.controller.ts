import type { ContrastAnswer, ContrastNews } from '@flail/contract';
import { Body, Controller, HttpCode, Post, Req, Res } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request, Response } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { askedOf } from '../query/asked.js';
import { RecordStore } from '../store/record-store.js';
import { toldAnswer } from '../told/told-answer.js';
import { ContrastDto } from './contrast.dto.js';
import { ContrastService } from './contrast.service.js';

/** What sets one cohort apart from another. */
@ApiTags('read')
@Controller('api/v1/contrast')
export class ContrastController {
  constructor(
    private readonly contrasts: ContrastService,
    private readonly store: RecordStore,
  ) {}

  @Post()
  @HttpCode(200)
  @ApiOperation({
    summary: 'What tells two cohorts of requests or runs apart, and the smallest descriptions that do',
    description: 'Asked for application/x-ndjson, it tells line by line how far it is.',
  })
  contrast(
    @Body() { items, first, second, ...body }: ContrastDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const asked = askedOf(this.store, body, asker, request);
    const cohorts = { ...(items && { items }), ...(first && { first }), ...(second && { second }) };
    return toldAnswer<ContrastNews>(request, response, (tell): Promise<ContrastAnswer> =>
      this.contrasts.contrast(asked, cohorts, tell),
    );
  }
}
