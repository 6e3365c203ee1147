import type { PinBody, PinKind } from '@flail/contract';
import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import { IsIn, IsNotEmpty, IsObject, IsOptional, IsString, Matches, MaxLength } from 'class-validator';

const PIN_KINDS: PinKind[] = ['line', 'pattern', 'chart', 'window', 'change'];

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
  @MaxLength(20_000)
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
  @MaxLength(20_000)
  address!: string;

  @ApiPropertyOptional()
  @IsOptional()
  @IsString()
  @MaxLength(20_000)
  note?: string;

  @ApiPropertyOptional({ description: 'What was seen then' })
  @IsOptional()
  @IsObject()
  seen?: Record<string, unknown>;
}
