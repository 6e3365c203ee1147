import type { QuestionBody } from '@flail/contract';
import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import { ArrayMaxSize, IsArray, IsOptional, IsString, MaxLength, MinLength } from 'class-validator';
import { ReadDto } from '../query/query.dto.js';

const LONGEST = 500;
const MOST_EARLIER = 50;

export class QuestionDto extends ReadDto implements QuestionBody {
  @ApiProperty({ description: 'In plain words', example: 'which ports fail most since yesterday?' })
  @IsString()
  @MinLength(1)
  @MaxLength(LONGEST)
  question!: string;

  @ApiPropertyOptional({ type: [String], description: 'Questions asked before it, the first first' })
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(MOST_EARLIER)
  @IsString({ each: true })
  @MaxLength(LONGEST, { each: true })
  earlier?: string[];
}
