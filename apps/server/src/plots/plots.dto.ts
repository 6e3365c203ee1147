import type {
  AggregateName,
  GhostName,
  MovedWithBody,
  PlotQueryBody,
  RequestFigureName,
  SeriesSource,
} from '@flail/contract';
import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsNumber,
  IsObject,
  IsOptional,
  IsString,
  Max,
  MaxLength,
  Min,
  ValidateIf,
  ValidateNested,
} from 'class-validator';
import { ReadDto } from '../query/query.dto.js';
import { AGGREGATES } from '../series/series.dto.js';

const SOURCES = ['metric', 'requests', 'pattern', 'expression'] as const;
const FIGURES: readonly RequestFigureName[] = ['rate', 'failed', 'p50', 'p95'];

const only = (of: SeriesSource['of']) => ValidateIf((source: SourceDto) => source.of === of);

/** What is drawn; which of the fields it has depends on `of`. */
export class SourceDto {
  @ApiProperty({ enum: SOURCES })
  @IsIn(SOURCES)
  of!: SeriesSource['of'];

  @ApiPropertyOptional()
  @only('metric')
  @IsString()
  @IsNotEmpty()
  @MaxLength(500)
  metric?: string;

  @ApiPropertyOptional({ type: Object })
  @IsOptional()
  @IsObject()
  where?: Record<string, string[]>;

  @ApiPropertyOptional({ type: [String] })
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(5)
  @IsString({ each: true })
  by?: string[];

  @ApiPropertyOptional({ enum: AGGREGATES })
  @IsOptional()
  @IsIn(AGGREGATES)
  aggregate?: AggregateName;

  @ApiPropertyOptional({ enum: FIGURES })
  @only('requests')
  @IsIn(FIGURES)
  figure?: RequestFigureName;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  service?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  operation?: string;

  @ApiPropertyOptional()
  @only('pattern')
  @IsString()
  @IsNotEmpty()
  pattern?: string;

  @ApiPropertyOptional()
  @only('expression')
  @IsString()
  @MaxLength(10_000)
  expression?: string;
}

export class PlotDto extends ReadDto implements Omit<PlotQueryBody, 'source'> {
  @ApiProperty({ type: SourceDto })
  @ValidateNested()
  @Type(() => SourceDto)
  source!: SourceDto;

  @ApiPropertyOptional({ default: 240 })
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(2000)
  points?: number;

  @ApiPropertyOptional({ default: 0, description: 'Seconds before the window that are drawn as well' })
  @IsOptional()
  @IsNumber()
  @Min(0)
  lead?: number;

  @ApiPropertyOptional({ description: 'What is normal at each step, where one line is drawn' })
  @IsOptional()
  @IsBoolean()
  normal?: boolean;

  @ApiPropertyOptional({ enum: ['day', 'week'], isArray: true })
  @IsOptional()
  @IsArray()
  @IsIn(['day', 'week'], { each: true })
  ghosts?: GhostName[];
}

export class RelatedDto extends ReadDto implements Omit<MovedWithBody, 'source'> {
  @ApiProperty({ type: SourceDto })
  @ValidateNested()
  @Type(() => SourceDto)
  source!: SourceDto;
}

export class FindSeriesDto extends ReadDto {
  @ApiPropertyOptional({ description: 'Words that name, labels, values or unit hold' })
  @IsOptional()
  @IsString()
  @MaxLength(200)
  query?: string;
}
