import type { NoiseAnswer } from '@flail/contract';
import { Body, Controller, HttpCode, Post, Req } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { askedOf } from '../query/asked.js';
import { ReadDto } from '../query/query.dto.js';
import { RecordStore } from '../store/record-store.js';
import { NoiseService } from './noise.service.js';

/** What lines cost. */
@ApiTags('patterns')
@Controller('api/v1/noise')
export class NoiseController {
  constructor(
    private readonly noises: NoiseService,
    private readonly store: RecordStore,
  ) {}

  @Post('search')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Bytes and lines by pattern and source, what repeats, and what leaving it out would save',
  })
  noise(@Body() body: ReadDto, @WhoAsks() asker: Asker, @Req() request: Request): Promise<NoiseAnswer> {
    return this.noises.noise(askedOf(this.store, body, asker, request));
  }
}
