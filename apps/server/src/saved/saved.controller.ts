import type { SavedExpression, SavedExpressionBody } from '@flail/contract';
import { parseQuery } from '@flail/core';
import { Body, Controller, Delete, Get, HttpCode, Param, ParseIntPipe, Post, Put } from '@nestjs/common';
import { ApiOperation, ApiProperty, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { IsBoolean, IsNotEmpty, IsOptional, IsString, MaxLength } from 'class-validator';
import { type Asker, WhoAsks } from '../access/asker.js';
import { SavedExpressionModel } from '../database/models.js';
import { notFound } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';

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
  constructor(private readonly store: RecordStore) {}

  @Get()
  @ApiOperation({ summary: 'Own expressions and shared ones, by name' })
  async list(@WhoAsks() asker: Asker): Promise<SavedExpression[]> {
    const rows = await SavedExpressionModel.findAll({ order: ['name'] });
    return rows.filter(({ owner, shared }) => shared || owner === asker.name).map(bodyOf);
  }

  @Post()
  @ApiOperation({ summary: 'Keeps an expression' })
  async keep(@Body() body: SavedExpressionDto, @WhoAsks() asker: Asker): Promise<SavedExpression> {
    // One that can not be read is told of now, not in the night.
    parseQuery(body.expression);
    const { name, expression, shared = false } = body;
    const row = { name, expression, shared, owner: asker.name, at: new Date() };
    return bodyOf(await this.store.writes.run(() => SavedExpressionModel.create(row)));
  }

  @Put(':id')
  @ApiOperation({ summary: 'Changes an own expression' })
  async change(
    @Param('id', ParseIntPipe) id: number,
    @Body() body: SavedExpressionDto,
    @WhoAsks() asker: Asker,
  ): Promise<SavedExpression> {
    parseQuery(body.expression);
    const row = await this.own(id, asker);
    const { name, expression, shared = false } = body;
    return bodyOf(await this.store.writes.run(() => row.update({ name, expression, shared })));
  }

  @Delete(':id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Lets go of an own expression' })
  async forget(@Param('id', ParseIntPipe) id: number, @WhoAsks() asker: Asker): Promise<void> {
    const row = await this.own(id, asker);
    await this.store.writes.run(() => row.destroy());
  }

  private async own(id: number, asker: Asker): Promise<SavedExpressionModel> {
    const row = await SavedExpressionModel.findByPk(id);
    if (row?.owner !== asker.name) throw notFound('no-such-expression', `You keep no expression ${id}.`);
    return row;
  }
}

const bodyOf = ({ id, name, expression, owner, shared, at }: SavedExpressionModel): SavedExpression => ({
  id,
  name,
  expression,
  owner,
  shared: Boolean(shared),
  at: at.toISOString(),
});
