import type { AggregateName, MetricsQueryBody } from '@flail/contract';
import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import {
  ArrayMaxSize,
  IsArray,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsObject,
  IsOptional,
  IsString,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import { WindowedDto } from '../query/windowed.dto.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';

export const AGGREGATES = ['avg', 'min', 'max', 'sum', 'rate', 'count', 'p50', 'p90', 'p95', 'p99'] as const;

export class MetricsSearchDto extends DatasetQueryDto {
  @ApiPropertyOptional({ description: 'Part of the name, of a label or of a value' })
  @IsOptional()
  @IsString()
  @MaxLength(200)
  query?: string;

  @ApiPropertyOptional({ default: 100 })
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(1000)
  limit?: number;
}

export class MetricsQueryDto extends WindowedDto implements MetricsQueryBody {
  @ApiProperty()
  @IsString()
  @IsNotEmpty()
  @MaxLength(500)
  metric!: string;

  @ApiPropertyOptional({ description: 'Labels with the values that are wanted', type: Object })
  @IsOptional()
  @IsObject()
  where?: Record<string, string[]>;

  @ApiPropertyOptional({ type: [String] })
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(5)
  @IsString({ each: true })
  by?: string[];

  @ApiPropertyOptional({
    enum: AGGREGATES,
    description: 'avg for levels, rate for what counts, p95 for histograms',
  })
  @IsOptional()
  @IsIn(AGGREGATES)
  aggregate?: AggregateName;

  @ApiPropertyOptional({ default: 240 })
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(2000)
  points?: number;
}
