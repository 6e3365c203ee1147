import type { ExportBody, ExportFormat } from '@flail/contract';
import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import { ArrayMaxSize, ArrayNotEmpty, IsArray, IsIn, IsOptional, IsString } from 'class-validator';
import { ReadDto } from '../query/query.dto.js';

const FORMATS: ExportFormat[] = ['text', 'jsonl', 'csv', 'otlp'];

export class ExportDto extends ReadDto implements ExportBody {
  @ApiProperty({ enum: ['lines'] })
  @IsIn(['lines'])
  what!: 'lines';

  @ApiProperty({ enum: FORMATS })
  @IsIn(FORMATS)
  format!: ExportFormat;

  @ApiPropertyOptional({ description: 'Fields of a table; time, level, service and text where left out' })
  @IsOptional()
  @IsArray()
  @ArrayNotEmpty()
  @ArrayMaxSize(100)
  @IsString({ each: true })
  columns?: string[];
}
