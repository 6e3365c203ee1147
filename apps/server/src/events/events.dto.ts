import type { RunStateName } from '@flail/contract';
import { RUN_STATES } from '@flail/core/runs';
import { ApiPropertyOptional } from '@nestjs/swagger';
import { IsArray, IsIn, IsInt, IsOptional, IsString, Max, MaxLength, Min } from 'class-validator';
import { WindowedDto } from '../query/windowed.dto.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';

export class ChangesSearchDto extends WindowedDto {
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
