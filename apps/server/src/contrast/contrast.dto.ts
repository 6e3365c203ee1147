import type { CohortBody, CohortPreset, ContrastBody, ContrastItems, WindowBody } from '@flail/contract';
import { ApiPropertyOptional } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import { IsIn, IsNumber, IsOptional, IsString, MaxLength, Min, ValidateNested } from 'class-validator';
import { ReadDto, WindowDto } from '../query/query.dto.js';

const PRESETS: readonly CohortPreset[] = ['wrong', 'failed', 'refused', 'hidden', 'slow', 'ok', 'all'];

export class CohortDto implements CohortBody {
  @ApiPropertyOptional({ enum: PRESETS })
  @IsOptional()
  @IsIn(PRESETS)
  preset?: CohortPreset;

  @ApiPropertyOptional({ description: 'A filter of its own, beside the scope' })
  @IsOptional()
  @IsString()
  @MaxLength(10_000)
  scope?: string;

  @ApiPropertyOptional({ type: WindowDto, description: 'A window of its own' })
  @IsOptional()
  @ValidateNested()
  @Type(() => WindowDto)
  window?: WindowBody;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  service?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  operation?: string;

  @ApiPropertyOptional({ description: 'Seconds' })
  @IsOptional()
  @IsNumber()
  @Min(0)
  slower?: number;

  @ApiPropertyOptional({ description: 'Seconds' })
  @IsOptional()
  @IsNumber()
  @Min(0)
  faster?: number;

  @ApiPropertyOptional({ description: 'Of runs: the job' })
  @IsOptional()
  @IsString()
  job?: string;
}

export class ContrastDto extends ReadDto implements ContrastBody {
  @ApiPropertyOptional({ enum: ['requests', 'runs'], default: 'requests' })
  @IsOptional()
  @IsIn(['requests', 'runs'])
  items?: ContrastItems;

  @ApiPropertyOptional({ type: CohortDto, description: 'What went wrong where it is left out' })
  @IsOptional()
  @ValidateNested()
  @Type(() => CohortDto)
  first?: CohortDto;

  @ApiPropertyOptional({ type: CohortDto, description: 'What went well where it is left out' })
  @IsOptional()
  @ValidateNested()
  @Type(() => CohortDto)
  second?: CohortDto;
}
