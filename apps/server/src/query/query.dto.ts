import { ApiProperty, ApiPropertyOptional, OmitType } from '@nestjs/swagger';
import { PATTERN_ORDERS, type PatternOrder } from '@flail/core';
import type {
  FieldsBody,
  LogOrder,
  LogsSearchBody,
  PatternsSearchBody,
  ReadBody,
  SummaryBody,
  WindowBody,
} from '@flail/contract';
import { Transform, Type } from 'class-transformer';
import {
  IsIn,
  IsInt,
  IsNotEmpty,
  IsObject,
  IsOptional,
  IsString,
  Max,
  MaxLength,
  Min,
  ValidateNested,
} from 'class-validator';

const MAX_SCOPE = 20_000;

export class WindowDto implements WindowBody {
  @ApiProperty({ description: 'First moment, RFC 3339', example: '2026-03-02T18:00:00Z' })
  @IsString()
  from!: string;

  @ApiProperty({ description: 'Moment behind the last, RFC 3339', example: '2026-03-02T18:40:00Z' })
  @IsString()
  to!: string;
}

/** What every read carries. */
export class ReadDto implements ReadBody {
  @ApiProperty({ type: WindowDto, description: 'The focus, where there is a baseline' })
  @IsObject()
  @ValidateNested()
  @Type(() => WindowDto)
  window!: WindowDto;

  @ApiPropertyOptional({ type: WindowDto, description: 'A comparable good time' })
  @IsOptional()
  @IsObject()
  @ValidateNested()
  @Type(() => WindowDto)
  baseline?: WindowDto;

  @ApiPropertyOptional({
    description: 'Filter expression; see docs/expression.md',
    example: 'level >= warn and "lease lost"',
  })
  @IsOptional()
  @IsString()
  @MaxLength(MAX_SCOPE)
  scope?: string;

  @ApiPropertyOptional({ description: 'Data set', default: 'live' })
  @IsOptional()
  @IsString()
  @IsNotEmpty()
  dataset?: string;
}

export class LogsSearchDto extends ReadDto implements LogsSearchBody {
  @ApiPropertyOptional({ enum: ['newest', 'oldest'], default: 'newest' })
  @IsOptional()
  @IsIn(['newest', 'oldest'])
  order?: LogOrder;

  @ApiPropertyOptional({ minimum: 1, maximum: 1000, default: 200 })
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(1000)
  limit?: number;

  @ApiPropertyOptional({ description: 'Cursor of the page before' })
  @IsOptional()
  @IsString()
  @MaxLength(200)
  cursor?: string;
}

export class PatternsSearchDto extends ReadDto implements PatternsSearchBody {
  @ApiPropertyOptional({ enum: PATTERN_ORDERS, default: 'surprise' })
  @IsOptional()
  @IsIn(PATTERN_ORDERS)
  order?: PatternOrder;

  @ApiPropertyOptional({ minimum: 1, maximum: 2000, default: 200 })
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(2000)
  limit?: number;

  @ApiPropertyOptional({
    description: 'About how many patterns; where left out, as many as the grouping itself believes in',
    minimum: 1,
    maximum: 100_000,
  })
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(100_000)
  grain?: number;
}

export class SummaryDto extends OmitType(ReadDto, ['scope']) implements SummaryBody {
  @ApiProperty({
    description: 'Filter and steps; see docs/expression.md',
    example: 'level = error then count, p95(duration) by service every 1m',
  })
  @IsString()
  @MaxLength(MAX_SCOPE)
  expression!: string;
}

export class FieldsDto extends ReadDto implements FieldsBody {
  @ApiPropertyOptional({ description: 'Values of each field', minimum: 1, maximum: 200, default: 20 })
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(200)
  limit?: number;
}

/** The same parameters, as a GET takes them. */
export class ReadQueryDto {
  @ApiPropertyOptional({ description: 'First moment, RFC 3339; with `to`. All time held where left out' })
  @IsOptional()
  @IsString()
  from?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  to?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  baselineFrom?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  baselineTo?: string;

  @ApiPropertyOptional({ description: 'Filter expression' })
  @IsOptional()
  @IsString()
  @MaxLength(MAX_SCOPE)
  scope?: string;

  @ApiPropertyOptional({ default: 'live' })
  @IsOptional()
  @IsString()
  @IsNotEmpty()
  dataset?: string;
}

const toNumber = Transform(({ value }: { value: unknown }) =>
  typeof value === 'string' && value !== '' ? Number(value) : value,
);

export class VolumeQueryDto extends ReadQueryDto {
  @ApiPropertyOptional({ minimum: 1, maximum: 2000, default: 240 })
  @IsOptional()
  @toNumber
  @IsInt()
  @Min(1)
  @Max(2000)
  steps?: number;
}

export class CompleteQueryDto extends ReadQueryDto {
  @ApiPropertyOptional({ description: 'Field whose values are wanted; names of fields where left out' })
  @IsOptional()
  @IsString()
  field?: string;

  @ApiPropertyOptional({ description: 'What the names or values begin with' })
  @IsOptional()
  @IsString()
  prefix?: string;

  @ApiPropertyOptional({ minimum: 1, maximum: 500, default: 50 })
  @IsOptional()
  @toNumber
  @IsInt()
  @Min(1)
  @Max(500)
  limit?: number;
}
