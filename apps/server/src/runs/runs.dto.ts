import { ApiPropertyOptional } from '@nestjs/swagger';
import type { RunStateName } from '@flail/contract';
import { RUN_STATES } from '@flail/core/runs';
import { IsArray, IsIn, IsOptional, IsString, MaxLength } from 'class-validator';
import { ChangesSearchDto } from '../events/events.dto.js';

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
