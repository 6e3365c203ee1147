import { ApiPropertyOptional } from '@nestjs/swagger';
import { IsInt, IsOptional, IsString, Max, MaxLength, Min } from 'class-validator';
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
