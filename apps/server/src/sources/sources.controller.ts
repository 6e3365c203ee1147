import type { FormatPreview, RetentionBody, SourceSummary } from '@flail/contract';
import { type FormatName, FORMATS } from '@flail/core';
import { Body, Controller, Get, HttpCode, Param, Post, Put, Query } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiTags } from '@nestjs/swagger';
import { IsIn } from 'class-validator';
import { type Asker, WhoAsks } from '../access/asker.js';
import { RecordStore } from '../store/record-store.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';
import { RetentionDto } from './retention.dto.js';
import { SourcesService } from './sources.service.js';

export class PreviewDto {
  @ApiProperty({ enum: FORMATS })
  @IsIn(FORMATS)
  format!: FormatName;
}

export class FormatDto {
  @ApiProperty({ enum: [...FORMATS, 'auto'], description: 'auto lets it be found from the lines again' })
  @IsIn([...FORMATS, 'auto'])
  format!: FormatName | 'auto';
}

/** Who sends, and how it is read and kept. */
@ApiTags('system')
@Controller('api/v1/sources')
export class SourcesController {
  constructor(
    private readonly sources: SourcesService,
    private readonly store: RecordStore,
  ) {}

  @Get()
  @ApiOperation({ summary: 'Who sends: formats, rates, levels, malformed lines, and what to look at' })
  list(@Query() { dataset }: DatasetQueryDto, @WhoAsks() asker: Asker): Promise<SourceSummary[]> {
    return this.sources.list(this.store.dataset(dataset), asker);
  }

  @Post(':name/preview')
  @HttpCode(200)
  @ApiOperation({ summary: 'What its newest lines would become in a format' })
  preview(
    @Param('name') name: string,
    @Body() { format }: PreviewDto,
    @Query() { dataset }: DatasetQueryDto,
    @WhoAsks() asker: Asker,
  ): Promise<FormatPreview> {
    return this.sources.preview(this.store.dataset(dataset), asker, name, format);
  }

  @Put(':name/format')
  @ApiOperation({ summary: 'What format it has, from the next batch on' })
  async correct(
    @Param('name') name: string,
    @Body() { format }: FormatDto,
    @Query() { dataset }: DatasetQueryDto,
    @WhoAsks() asker: Asker,
  ): Promise<{ format: string }> {
    const wanted = format === 'auto' ? null : format;
    await this.sources.correct(this.store.dataset(dataset), asker, name, wanted);
    return { format };
  }

  @Put(':name/retention')
  @ApiOperation({ summary: 'For how long, or how many bytes of, its records are kept' })
  retain(
    @Param('name') name: string,
    @Body() body: RetentionDto,
    @Query() { dataset }: DatasetQueryDto,
    @WhoAsks() asker: Asker,
  ): Promise<RetentionBody> {
    return this.sources.retain(this.store.dataset(dataset), asker, name, body);
  }
}
