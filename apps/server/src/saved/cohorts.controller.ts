import type { SavedCohorts, SavedCohortsBody } from '@flail/contract';
import { Body, Controller, Delete, Get, HttpCode, Param, ParseIntPipe, Post } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { IsBoolean, IsNotEmpty, IsOptional, IsString, MaxLength } from 'class-validator';
import { type Asker, WhoAsks } from '../access/asker.js';
import type { SavedModel } from '../database/models.js';
import { SavedService } from './saved.service.js';

export class SavedCohortsDto implements SavedCohortsBody {
  @ApiProperty({ description: 'What they are called' })
  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  name!: string;

  @ApiProperty({
    description: 'Parameters of the view that tells them apart; none for what fails against what goes well',
    example: 'first=slow&second=ok',
  })
  @IsString()
  @MaxLength(20_000)
  parameters!: string;

  @ApiPropertyOptional({ description: 'Whether all others see them too', default: false })
  @IsOptional()
  @IsBoolean()
  shared?: boolean;
}

/** Pairs of cohorts that people keep for themselves, or share. */
@ApiTags('kept work')
@Controller('api/v1/cohorts')
export class CohortsController {
  constructor(private readonly saved: SavedService) {}

  @Get()
  @ApiOperation({ summary: 'Own pairs of cohorts and shared ones, by name' })
  async list(@WhoAsks() asker: Asker): Promise<SavedCohorts[]> {
    return (await this.saved.list('cohorts', asker)).map(bodyOf);
  }

  @Post()
  @ApiOperation({ summary: 'Keeps a pair of cohorts' })
  async keep(
    @Body() { name, parameters, shared = false }: SavedCohortsDto,
    @WhoAsks() asker: Asker,
  ): Promise<SavedCohorts> {
    return bodyOf(await this.saved.keep('cohorts', { name, kept: parameters, shared }, asker));
  }

  @Delete(':id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Lets go of an own pair of cohorts' })
  forget(@Param('id', ParseIntPipe) id: number, @WhoAsks() asker: Asker): Promise<void> {
    return this.saved.forget('cohorts', id, asker);
  }
}

const bodyOf = ({ id, name, kept, owner, shared, at }: SavedModel): SavedCohorts => ({
  id,
  name,
  parameters: kept,
  owner,
  shared: Boolean(shared),
  at: at.toISOString(),
});
