import type { SavedExpression, SavedExpressionBody } from '@flail/contract';
import { parseQuery } from '@flail/core';
import { Body, Controller, Delete, Get, HttpCode, Param, ParseIntPipe, Post, Put } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { IsBoolean, IsNotEmpty, IsOptional, IsString, MaxLength } from 'class-validator';
import { type Asker, WhoAsks } from '../access/asker.js';
import type { SavedModel } from '../database/models.js';
import { SavedService } from './saved.service.js';

export class SavedExpressionDto implements SavedExpressionBody {
  @ApiProperty({ description: 'What it is called' })
  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  name!: string;

  @ApiProperty({ description: 'A filter, with steps or without', example: 'level >= warn and "lease lost"' })
  @IsString()
  @MaxLength(20_000)
  expression!: string;

  @ApiPropertyOptional({ description: 'Whether all others see it too', default: false })
  @IsOptional()
  @IsBoolean()
  shared?: boolean;
}

/** Expressions that people keep for themselves, or share. */
@ApiTags('kept work')
@Controller('api/v1/expressions')
export class SavedController {
  constructor(private readonly saved: SavedService) {}

  @Get()
  @ApiOperation({ summary: 'Own expressions and shared ones, by name' })
  async list(@WhoAsks() asker: Asker): Promise<SavedExpression[]> {
    return (await this.saved.list('expression', asker)).map(bodyOf);
  }

  @Post()
  @ApiOperation({ summary: 'Keeps an expression' })
  async keep(@Body() body: SavedExpressionDto, @WhoAsks() asker: Asker): Promise<SavedExpression> {
    return bodyOf(await this.saved.keep('expression', keptOf(body), asker));
  }

  @Put(':id')
  @ApiOperation({ summary: 'Changes an own expression' })
  async change(
    @Param('id', ParseIntPipe) id: number,
    @Body() body: SavedExpressionDto,
    @WhoAsks() asker: Asker,
  ): Promise<SavedExpression> {
    return bodyOf(await this.saved.change('expression', id, keptOf(body), asker));
  }

  @Delete(':id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Lets go of an own expression' })
  forget(@Param('id', ParseIntPipe) id: number, @WhoAsks() asker: Asker): Promise<void> {
    return this.saved.forget('expression', id, asker);
  }
}

/** One that can not be read is told of now, not in the night. */
function keptOf({ name, expression, shared = false }: SavedExpressionDto) {
  parseQuery(expression);
  return { name, kept: expression, shared };
}

const bodyOf = ({ id, name, kept, owner, shared, at }: SavedModel): SavedExpression => ({
  id,
  name,
  expression: kept,
  owner,
  shared: Boolean(shared),
  at: at.toISOString(),
});
