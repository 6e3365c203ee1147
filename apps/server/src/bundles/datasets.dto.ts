import type { ReplayChange } from '@flail/contract';
import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import { IsBoolean, IsIn, IsNotEmpty, IsOptional, IsString, MaxLength } from 'class-validator';
import { MAX_VIEW } from './manifest.js';
import { REPLAY_SPEEDS } from '../store/replay.js';

const MAX_NAME = 200;

export class OpenBundleQueryDto {
  @ApiPropertyOptional({ description: 'What it is called; the name in its manifest where left out' })
  @IsOptional()
  @IsString()
  @IsNotEmpty()
  @MaxLength(MAX_NAME)
  name?: string;
}

export class BundleQueryDto extends OpenBundleQueryDto {
  @ApiPropertyOptional({ description: 'First moment, RFC 3339; with `to`. All that is held where left out' })
  @IsOptional()
  @IsString()
  from?: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  to?: string;

  @ApiPropertyOptional({ description: 'Windows and scope that it is made for, as parameters of a view' })
  @IsOptional()
  @IsString()
  @MaxLength(MAX_VIEW)
  view?: string;
}

export class DatasetDto {
  @ApiProperty({ description: 'What it is called' })
  @IsString()
  @IsNotEmpty()
  @MaxLength(MAX_NAME)
  name!: string;
}

export class ReplayDto implements ReplayChange {
  @ApiPropertyOptional()
  @IsOptional()
  @IsBoolean()
  playing?: boolean;

  @ApiPropertyOptional({ enum: REPLAY_SPEEDS, description: 'Seconds of its time that pass in a second' })
  @IsOptional()
  @IsIn(REPLAY_SPEEDS)
  speed?: (typeof REPLAY_SPEEDS)[number];

  @ApiPropertyOptional({ description: 'Up to where it is shown, RFC 3339; its beginning at first' })
  @IsOptional()
  @IsString()
  position?: string;
}
