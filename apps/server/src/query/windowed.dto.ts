import { ApiProperty } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import { IsObject, ValidateNested } from 'class-validator';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';
import { WindowDto } from './query.dto.js';

/** A question about a window of a data set. */
export class WindowedDto extends DatasetQueryDto {
  @ApiProperty({ type: WindowDto })
  @IsObject()
  @ValidateNested()
  @Type(() => WindowDto)
  window!: WindowDto;
}
