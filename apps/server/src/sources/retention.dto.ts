import type { RetentionBody } from '@flail/contract';
import { ApiPropertyOptional } from '@nestjs/swagger';
import { IsInt, IsNumber, IsOptional, Max, Min } from 'class-validator';

/** For how long records are kept; without limit where nothing is given. */
export class RetentionDto implements RetentionBody {
  @ApiPropertyOptional({ description: "Age by the record's own time, in hours", minimum: 1 })
  @IsOptional()
  @IsNumber()
  @Min(1)
  @Max(1_000_000)
  maxAgeHours?: number;

  @ApiPropertyOptional({ description: 'Bytes of lines as they were received', minimum: 1_000_000 })
  @IsOptional()
  @IsInt()
  @Min(1_000_000)
  maxBytes?: number;
}
