import type { QuestionAnswer } from '@flail/contract';
import { Body, Controller, HttpCode, Post, Req } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { askedOf } from '../query/asked.js';
import { RecordStore } from '../store/record-store.js';
import { QuestionDto } from './questions.dto.js';
import { QuestionsService } from './questions.service.js';

/** Questions in plain words. */
@ApiTags('read')
@Controller('api/v1/questions')
export class QuestionsController {
  constructor(
    private readonly questions: QuestionsService,
    private readonly store: RecordStore,
  ) {}

  @Post()
  @HttpCode(200)
  @ApiOperation({
    summary: 'A question in plain words: how it was understood, and its answer',
    description: 'What can not be understood is answered with the words that nothing was made of.',
  })
  answer(
    @Body() { question, earlier = [], ...body }: QuestionDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<QuestionAnswer> {
    return this.questions.answer(askedOf(this.store, body, asker, request), question, earlier);
  }
}
