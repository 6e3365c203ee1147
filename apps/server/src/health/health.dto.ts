import { ApiProperty, ApiPropertyOptional } from '@nestjs/swagger';
import type { HealthBody, ObjectiveBody, SuspectBody } from '@flail/contract';
import { IsIn, IsNotEmpty, IsNumber, IsOptional, IsString, Max, MaxLength, Min } from 'class-validator';
import { ReadDto } from '../query/query.dto.js';

const SUSPECTS: readonly SuspectBody['field'][] = ['instance', 'host', 'site', 'service.version'];

export class HealthDto extends ReadDto implements HealthBody {
  @ApiPropertyOptional({ description: 'Share that may fail', default: 0.01 })
  @IsOptional()
  @IsNumber()
  @Min(0)
  @Max(1)
  tolerance?: number;
}

export class SuspectDto extends ReadDto implements SuspectBody {
  @ApiProperty({ description: 'Service whose calls are compared' })
  @IsString()
  @IsNotEmpty()
  service!: string;

  @ApiProperty({ enum: SUSPECTS, description: 'What the suspect is one of' })
  @IsIn([...SUSPECTS])
  field!: SuspectBody['field'];

  @ApiProperty({ description: 'The suspect' })
  @IsString()
  @IsNotEmpty()
  value!: string;
}

export class ObjectiveDto implements ObjectiveBody {
  @ApiProperty({ description: 'What it is called' })
  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  name!: string;

  @ApiPropertyOptional({ description: 'Service that the requests begin at; all where left out' })
  @IsOptional()
  @IsString()
  service?: string;

  @ApiPropertyOptional({ description: 'Operation; all where left out' })
  @IsOptional()
  @IsString()
  operation?: string;

  @ApiProperty({ description: 'Share that is to go well', example: 0.99 })
  @IsNumber()
  @Min(0.5)
  @Max(0.99999)
  target!: number;

  @ApiProperty({ description: 'For how many days it is promised', example: 30 })
  @IsNumber()
  @Min(1)
  @Max(366)
  days!: number;
}
