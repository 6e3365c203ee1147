import type { OnsetsSearchAnswer, ProgressBody } from '@flail/contract';
import { Body, Controller, HttpCode, Post, Req, Res } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request, Response } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { askedOf } from '../query/asked.js';
import { ReadDto } from '../query/query.dto.js';
import { RecordStore } from '../store/record-store.js';
import { toldAnswer } from '../told/told-answer.js';
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
    description: 'Asked for application/x-ndjson, it tells line by line how far it is.',
  })
  search(
    @Body() body: ReadDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const asked = askedOf(this.store, body, asker, request);
    return toldAnswer<ProgressBody>(request, response, (tell): Promise<OnsetsSearchAnswer> =>
      this.onsets.search(asked, tell),
    );
  }
}
