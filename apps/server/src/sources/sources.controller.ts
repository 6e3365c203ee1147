import type { ColumnsBody, FormatPreview, RetentionBody, SourceSummary } from '@flail/contract';
import { type CsvColumns, type FormatName, FORMATS, type Head, HEAD_KINDS, type HeadKind } from '@flail/core';
import { Body, Controller, Get, HttpCode, Param, Post, Put, Query, Res } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsIn,
  IsInt,
  IsObject,
  IsOptional,
  IsString,
  Max,
  Min,
  ValidateNested,
} from 'class-validator';
import type { Response } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { badRequest } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';
import { RetentionDto } from './retention.dto.js';
import { SourcesService } from './sources.service.js';

const DELIMITERS = [',', ';', '\t', '|'];

/** The columns of lines of CSV. */
export class ColumnsDto implements ColumnsBody {
  @ApiProperty({ enum: DELIMITERS })
  @IsIn(DELIMITERS)
  delimiter!: string;

  @ApiProperty({ description: 'Names of the columns, in their order' })
  @IsArray()
  @ArrayMaxSize(400)
  @IsString({ each: true })
  names!: string[];

  @ApiPropertyOptional({ description: 'Fields that columns stand for, by the name of the column' })
  @IsOptional()
  @IsObject()
  as?: Record<string, string>;
}

/** What a person says of how lines are read. */
class ReadingDto {
  @ApiPropertyOptional({ type: ColumnsDto, description: 'For CSV; those that are known where left out' })
  @IsOptional()
  @ValidateNested()
  @Type(() => ColumnsDto)
  columns?: ColumnsDto;

  @ApiPropertyOptional({
    type: 'array',
    items: { type: 'array', items: { type: 'string', enum: [...HEAD_KINDS] } },
    description:
      'For plain text: the columns that lines open with before their text, a list for each kind of line; learned from the lines where left out',
  })
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(8)
  heads?: HeadKind[][];
}

export class PreviewDto extends ReadingDto {
  @ApiProperty({ enum: FORMATS })
  @IsIn(FORMATS)
  format!: FormatName;
}

export class FormatDto extends ReadingDto {
  @ApiProperty({ enum: [...FORMATS, 'auto'], description: 'auto lets it be found from the lines again' })
  @IsIn([...FORMATS, 'auto'])
  format!: FormatName | 'auto';
}

export class SourcesQueryDto extends DatasetQueryDto {
  @ApiPropertyOptional({ default: 500, description: 'Of more, those that were seen last are told of' })
  @IsOptional()
  @Type(() => Number)
  @IsInt()
  @Min(1)
  @Max(10_000)
  limit?: number;
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
  async list(
    @Query() { dataset, limit }: SourcesQueryDto,
    @WhoAsks() asker: Asker,
    @Res({ passthrough: true }) response: Response,
  ): Promise<SourceSummary[]> {
    const { sources, total } = await this.sources.list(this.store.dataset(dataset), asker, undefined, limit);
    response.setHeader('X-Total-Count', total);
    return sources;
  }

  @Post(':name/preview')
  @HttpCode(200)
  @ApiOperation({ summary: 'What its newest lines would become in a format' })
  preview(
    @Param('name') name: string,
    @Body() { format, columns, heads }: PreviewDto,
    @Query() { dataset }: DatasetQueryDto,
    @WhoAsks() asker: Asker,
  ): Promise<FormatPreview> {
    return this.sources.preview(this.store.dataset(dataset), asker, name, format, {
      columns: columns && columnsOf(columns),
      heads: heads && headsOf(heads),
    });
  }

  @Put(':name/format')
  @ApiOperation({ summary: 'What format it has, from the next batch on' })
  async correct(
    @Param('name') name: string,
    @Body() { format, columns, heads }: FormatDto,
    @Query() { dataset }: DatasetQueryDto,
    @WhoAsks() asker: Asker,
  ): Promise<{ format: string }> {
    const wanted = format === 'auto' ? null : format;
    await this.sources.correct(this.store.dataset(dataset), asker, name, wanted, {
      columns: columns && columnsOf(columns),
      heads: heads && headsOf(heads),
    });
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

function columnsOf({ delimiter, names, as = {} }: ColumnsDto): CsvColumns {
  if (!Object.values(as).every((field) => typeof field === 'string' && field !== ''))
    throw badRequest('columns', 'Each column stands for a field, which has a name.');
  return { delimiter, names, as };
}

/** Checks what a person says that lines open with. */
function headsOf(heads: unknown[]): Head[] {
  const isHead = (head: unknown): head is Head =>
    Array.isArray(head) &&
    head.length <= HEAD_KINDS.length &&
    head.every((kind) => HEAD_KINDS.includes(kind as HeadKind)) &&
    head.some((kind) => kind === 'time' || kind === 'level');
  if (!heads.every(isHead))
    throw badRequest(
      'heads',
      `Each is a list of columns with a time or a level among them: ${HEAD_KINDS.join(', ')}.`,
    );
  return heads;
}
