import type { CaseChange, CaseContents, InvestigationBody, PinBody, PinKind } from '@flail/contract';
import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import { Transform, Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsNotEmpty,
  IsNumber,
  IsObject,
  IsOptional,
  IsString,
  Matches,
  MaxLength,
  ValidateNested,
} from 'class-validator';
import { ReadDto, WindowDto } from '../query/query.dto.js';

const PIN_KINDS: PinKind[] = ['line', 'pattern', 'chart', 'window', 'change', 'signature'];
const LONG = 20_000;
const MANY = 500;

export class CaseDto {
  @ApiProperty({ description: 'What it is called' })
  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  name!: string;
}

export class NoteDto {
  @ApiProperty({ description: 'What somebody has to say of it' })
  @IsString()
  @MaxLength(LONG)
  note!: string;
}

export class PinDto implements PinBody {
  @ApiProperty({ enum: PIN_KINDS })
  @IsIn(PIN_KINDS)
  kind!: PinKind;

  @ApiProperty()
  @IsString()
  @IsNotEmpty()
  @MaxLength(1000)
  title!: string;

  @ApiProperty({ description: 'Path and parameters of the view', example: '/logs?scope=level%20%3D%20error' })
  @Matches(/^\/(?!\/)/, { message: 'address is a path of this program, such as /logs' })
  @MaxLength(LONG)
  address!: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(LONG)
  note?: string;

  @ApiPropertyOptional({ description: 'What was seen then' })
  @IsOptional()
  @IsObject()
  seen?: Record<string, unknown>;
}

class FindingDto {
  @IsString()
  @MaxLength(40)
  kind!: string;

  @IsString()
  @MaxLength(LONG)
  text!: string;

  @Matches(/^\/(?!\/)/, { message: 'address is a path of this program, such as /logs' })
  @MaxLength(LONG)
  address!: string;

  @IsObject()
  told!: Record<string, unknown>;
}

class HypothesisDto {
  @IsString()
  @MaxLength(2000)
  text!: string;

  @IsIn(['open', 'likely', 'ruled out'])
  verdict!: 'open' | 'likely' | 'ruled out';

  @IsString()
  @MaxLength(2000)
  why!: string;
}

class TimelineDto {
  @IsIn(['before', 'first sign', 'spread', 'peak', 'recovery'])
  stage!: 'before' | 'first sign' | 'spread' | 'peak' | 'recovery';

  @IsString()
  @MaxLength(40)
  time!: string;

  @IsString()
  @MaxLength(2000)
  text!: string;

  @IsOptional()
  @IsBoolean()
  found?: boolean;
}

class RemedyDto {
  @IsIn(['temporary', 'lasting'])
  kind!: 'temporary' | 'lasting';

  @IsString()
  @MaxLength(2000)
  text!: string;

  @IsString()
  @MaxLength(200)
  owner!: string;

  @IsBoolean()
  done!: boolean;

  @IsBoolean()
  helped!: boolean;
}

class EvidenceDto {
  @IsNumber()
  finding!: number;

  @IsBoolean()
  for!: boolean;
}

class CauseDto {
  @IsString()
  @MaxLength(40)
  kind!: string;

  @IsString()
  @MaxLength(2000)
  text!: string;

  @IsIn(['likely', 'possible', 'a guess'])
  certainty!: 'likely' | 'possible' | 'a guess';

  @IsArray()
  @ArrayMaxSize(MANY)
  @ValidateNested({ each: true })
  @Type(() => EvidenceDto)
  evidence!: EvidenceDto[];

  @IsString()
  @MaxLength(2000)
  temporary!: string;

  @IsString()
  @MaxLength(2000)
  lasting!: string;

  @IsOptional()
  @IsString()
  @MaxLength(500)
  change?: string;
}

class ConclusionDto {
  @IsArray()
  @ArrayMaxSize(20)
  @ValidateNested({ each: true })
  @Type(() => CauseDto)
  causes!: CauseDto[];

  @IsArray()
  @ArrayMaxSize(MANY)
  @IsString({ each: true })
  doubt!: string[];

  @IsArray()
  @ArrayMaxSize(MANY)
  @IsString({ each: true })
  next!: string[];
}

export class ContentsDto implements Partial<CaseContents> {
  @ApiPropertyOptional({ enum: ['open', 'watching', 'closed'] })
  @IsOptional()
  @IsIn(['open', 'watching', 'closed'])
  status?: CaseContents['status'];

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(200)
  owner?: string;

  @ApiPropertyOptional({ description: 'Markdown' })
  @IsOptional()
  @IsString()
  @MaxLength(200_000)
  notes?: string;

  @IsOptional()
  @IsString()
  @MaxLength(100)
  dataset?: string;

  @ApiPropertyOptional({ type: WindowDto })
  @IsOptional()
  @ValidateNested()
  @Type(() => WindowDto)
  window?: WindowDto;

  @ApiPropertyOptional({ type: WindowDto })
  @IsOptional()
  @ValidateNested()
  @Type(() => WindowDto)
  baseline?: WindowDto;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(LONG)
  scope?: string;

  @ApiPropertyOptional({ description: 'Job whose runs it is about; empty where it is about requests' })
  @IsOptional()
  @IsString()
  @MaxLength(300)
  job?: string;

  @IsOptional()
  @IsArray()
  @ArrayMaxSize(MANY)
  @ValidateNested({ each: true })
  @Type(() => FindingDto)
  findings?: FindingDto[];

  @IsOptional()
  @ValidateNested()
  @Type(() => ConclusionDto)
  conclusion?: ConclusionDto;

  @IsOptional()
  @IsArray()
  @ArrayMaxSize(MANY)
  @ValidateNested({ each: true })
  @Type(() => HypothesisDto)
  hypotheses?: HypothesisDto[];

  @IsOptional()
  @IsArray()
  @ArrayMaxSize(MANY)
  @ValidateNested({ each: true })
  @Type(() => TimelineDto)
  timeline?: TimelineDto[];

  @IsOptional()
  @IsArray()
  @ArrayMaxSize(MANY)
  @ValidateNested({ each: true })
  @Type(() => RemedyDto)
  remedies?: RemedyDto[];
}

export class CaseChangeDto implements CaseChange {
  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  name?: string;

  @ApiPropertyOptional({ type: ContentsDto })
  @IsOptional()
  @ValidateNested()
  @Type(() => ContentsDto)
  contents?: ContentsDto;
}

/** A case as a bundle carries it. */
export class CarriedCaseDto {
  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  name!: string;

  @ValidateNested()
  @Type(() => ContentsDto)
  contents!: ContentsDto;

  @IsArray()
  @ArrayMaxSize(MANY)
  @ValidateNested({ each: true })
  @Type(() => PinDto)
  pins!: PinDto[];
}

export class CaseBundleQueryDto {
  @ApiPropertyOptional({
    type: [String],
    description: 'Fields whose values are replaced, wherever they stand, by names that say nothing',
  })
  @IsOptional()
  @Transform(({ value }: { value: unknown }) => [value].flat())
  @IsArray()
  @ArrayMaxSize(MANY)
  @IsString({ each: true })
  redact?: string[];
}

export class ReportQueryDto {
  @ApiPropertyOptional({ enum: ['markdown', 'html', 'json'], default: 'markdown' })
  @IsOptional()
  @IsIn(['markdown', 'html', 'json'])
  format?: 'markdown' | 'html' | 'json';
}

/** What is to be investigated, or watched. */
export class InvestigationDto extends ReadDto implements InvestigationBody {
  @ApiPropertyOptional({ description: 'Job whose runs it is about; of requests where it is left out' })
  @IsOptional()
  @IsString()
  @MaxLength(300)
  job?: string;
}
