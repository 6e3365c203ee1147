import type { RunStateName } from '@flail/contract';
import { RUN_STATES } from '@flail/core/runs';
import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import {
  IsArray,
  IsIn,
  IsInt,
  IsObject,
  IsOptional,
  IsString,
  Max,
  MaxLength,
  Min,
  ValidateNested,
} from 'class-validator';
import { WindowDto } from '../query/query.dto.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';

export class ChangesSearchDto extends DatasetQueryDto {
  @ApiProperty({ type: WindowDto })
  @IsObject()
  @ValidateNested()
  @Type(() => WindowDto)
  window!: WindowDto;

  @ApiPropertyOptional({ default: 500 })
  @IsOptional()
  @IsInt()
  @Min(1)
  @Max(10_000)
  limit?: number;
}

export class RunsSearchDto extends ChangesSearchDto {
  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(500)
  job?: string;

  @ApiPropertyOptional({ enum: RUN_STATES, isArray: true })
  @IsOptional()
  @IsArray()
  @IsIn(RUN_STATES, { each: true })
  states?: RunStateName[];
}

/** What a sender declares of itself, for measurements that do not name their own. */
export class OpenMetricsQueryDto extends DatasetQueryDto {
  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(500)
  service?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(500)
  instance?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(500)
  host?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(500)
  site?: string;
}
