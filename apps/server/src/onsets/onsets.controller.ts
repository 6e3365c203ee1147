import type { OnsetsSearchAnswer } from '@flail/contract';
import { Body, Controller, HttpCode, Post, Req } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { askedOf } from '../query/asked.js';
import { ReadDto } from '../query/query.dto.js';
import { RecordStore } from '../store/record-store.js';
import { OnsetsService } from './onsets.service.js';

/** What moved, and what moved first. */
@ApiTags('read')
@Controller('api/v1/onsets')
export class OnsetsController {
  constructor(
    private readonly onsets: OnsetsService,
    private readonly store: RecordStore,
  ) {}

  @Post('search')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Series that left their normal range in the focus, in the order in which they began',
  })
  search(
    @Body() body: ReadDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<OnsetsSearchAnswer> {
    return this.onsets.search(askedOf(this.store, body, asker, request));
  }
}
