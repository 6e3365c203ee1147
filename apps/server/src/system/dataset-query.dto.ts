import { ApiPropertyOptional } from '@nestjs/swagger';
import { IsOptional, IsString } from 'class-validator';

/** The data set that a request is about. */
export class DatasetQueryDto {
  @ApiPropertyOptional({ default: 'live' })
  @IsOptional()
  @IsString()
  dataset?: string;
}
