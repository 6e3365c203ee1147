import { MARK_KINDS, type MarkKind } from '@flail/core';
import type { CorrectionBody, MarkBody, RulesBundle } from '@flail/contract';
import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  Equals,
  IsArray,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsNumber,
  IsOptional,
  IsISO8601,
  IsString,
  Max,
  MaxLength,
  Min,
  ValidateIf,
  ValidateNested,
} from 'class-validator';

export const CORRECTION_KINDS = ['join', 'slot', 'split', 'apart', 'name'] as const;

const of = (...kinds: string[]): PropertyDecorator =>
  ValidateIf((body: CorrectionDto) => kinds.includes(body.kind));

/** A correction of the grouping; which properties it needs depends on its kind. */
export class CorrectionDto implements CorrectionBody {
  @ApiProperty({ enum: CORRECTION_KINDS })
  @IsIn(CORRECTION_KINDS)
  kind!: (typeof CORRECTION_KINDS)[number];

  @ApiPropertyOptional({ description: 'The pattern that is corrected; all kinds but join' })
  @of('slot', 'split', 'apart', 'name')
  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  pattern?: string;

  @ApiPropertyOptional({ description: 'join: the patterns that are one', type: [String] })
  @of('join')
  @IsArray()
  @ArrayMinSize(2)
  @ArrayMaxSize(500)
  @IsString({ each: true })
  patterns?: string[];

  @ApiPropertyOptional({ description: 'slot: the word that is a value' })
  @ValidateIf((body: CorrectionDto) => body.kind === 'slot' && body.form === undefined)
  @IsString()
  @IsNotEmpty()
  @MaxLength(500)
  word?: string;

  @ApiPropertyOptional({ description: 'slot: which of several equal words, counted from 0', default: 0 })
  @IsOptional()
  @IsInt()
  @Min(0)
  occurrence?: number;

  @ApiPropertyOptional({ description: 'slot: the form itself, as it is exported' })
  @IsOptional()
  @IsString()
  @MaxLength(10_000)
  form?: string;

  @ApiPropertyOptional({ description: 'split: the slot, counted from 0' })
  @of('split')
  @IsInt()
  @Min(0)
  @Max(200)
  slot?: number;

  @ApiPropertyOptional({
    description: 'split: only these values become patterns of their own',
    type: [String],
  })
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(500)
  @IsString({ each: true })
  values?: string[];

  @ApiPropertyOptional({ description: 'apart: id of the layout that is a statement of its own' })
  @of('apart')
  @IsString()
  @IsNotEmpty()
  layout?: string;

  @ApiPropertyOptional({ description: 'name: what people call it' })
  @of('name')
  @IsString()
  @IsNotEmpty()
  @MaxLength(120)
  name?: string;
}

/** What is said of a pattern. */
export class MarkDto implements MarkBody {
  @ApiProperty({ enum: MARK_KINDS })
  @IsIn(MARK_KINDS)
  kind!: MarkKind;

  @ApiProperty()
  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  pattern!: string;

  @ApiPropertyOptional({ default: '' })
  @IsOptional()
  @IsString()
  @MaxLength(1000)
  reason?: string;

  @ApiPropertyOptional({ description: 'Its surprise is multiplied with this', minimum: 0, maximum: 100 })
  @IsOptional()
  @IsNumber()
  @Min(0)
  @Max(100)
  weight?: number;

  @ApiPropertyOptional({ description: 'It holds until this moment, RFC 3339' })
  @IsOptional()
  @IsISO8601()
  until?: string;
}

/** Corrections and marks as they are carried to another store. */
export class RulesBundleDto implements RulesBundle {
  @ApiProperty({ example: 1 })
  @Equals(1)
  version!: 1;

  @ApiProperty({ type: [CorrectionDto] })
  @IsArray()
  @ArrayMaxSize(10_000)
  @ValidateNested({ each: true })
  @Type(() => CorrectionDto)
  corrections!: CorrectionDto[];

  @ApiProperty({ type: [MarkDto] })
  @IsArray()
  @ArrayMaxSize(10_000)
  @ValidateNested({ each: true })
  @Type(() => MarkDto)
  marks!: MarkDto[];
}
