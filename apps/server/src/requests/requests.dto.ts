import { ApiPropertyOptional } from '@nestjs/swagger';
import type {
  RequestOrder,
  RequestPreset,
  RequestsAnalysisBody,
  RequestsSearchBody,
  RequestsWayBody,
} from '@flail/contract';
import { IsIn, IsInt, IsNumber, IsOptional, IsString, Max, Min } from 'class-validator';
import { ReadDto } from '../query/query.dto.js';

export const PRESETS: readonly RequestPreset[] = [
  'all',
  'failed',
  'refused',
  'hidden',
  'slow',
  'slow without error',
];
export const ORDERS: readonly RequestOrder[] = ['newest', 'oldest', 'slowest', 'fastest'];

export class RequestsAnalysisDto extends ReadDto implements RequestsAnalysisBody {
  @ApiPropertyOptional({ description: 'Only requests that begin at this service' })
  @IsOptional()
  @IsString()
  service?: string;

  @ApiPropertyOptional({ description: 'Only requests of this operation' })
  @IsOptional()
  @IsString()
  operation?: string;
}

export class RequestsWayDto extends ReadDto implements RequestsWayBody {
  @ApiPropertyOptional({ enum: PRESETS, default: 'all' })
  @IsOptional()
  @IsIn([...PRESETS])
  preset?: RequestPreset;
}

export class RequestsSearchDto extends RequestsAnalysisDto implements RequestsSearchBody {
  @ApiPropertyOptional({ enum: PRESETS, default: 'all' })
  @IsOptional()
  @IsIn([...PRESETS])
  preset?: RequestPreset;

  @ApiPropertyOptional({ enum: ORDERS, default: 'newest' })
  @IsOptional()
  @IsIn([...ORDERS])
  order?: RequestOrder;

  @ApiPropertyOptional({ description: 'Seconds: requests slower than this are the slow cohort' })
  @IsOptional()
  @IsNumber()
  @Min(0)
  slower?: number;

  @ApiPropertyOptional({ description: 'Seconds: requests faster than this are the fast cohort' })
  @IsOptional()
  @IsNumber()
  @Min(0)
  faster?: number;

  @ApiPropertyOptional({ enum: ['slower', 'faster'], description: 'List this cohort alone' })
  @IsOptional()
  @IsIn(['slower', 'faster'])
  cohort?: 'slower' | 'faster';

  @ApiPropertyOptional({ default: 100, maximum: 1000 })
  @IsOptional()
  @IsInt()
  @Min(0)
  @Max(1000)
  limit?: number;

  @ApiPropertyOptional({ default: 0 })
  @IsOptional()
  @IsInt()
  @Min(0)
  offset?: number;
}
