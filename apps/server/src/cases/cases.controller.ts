import type { CaseBody, Pin } from '@flail/contract';
import { Body, Controller, Delete, Get, HttpCode, Param, ParseIntPipe, Post, Put } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { CaseDto, NoteDto, PinDto } from './cases.dto.js';
import { CasesService } from './cases.service.js';

/** Cases, and what is pinned in them. */
@ApiTags('kept work')
@Controller('api/v1/cases')
export class CasesController {
  constructor(private readonly cases: CasesService) {}

  @Get()
  @ApiOperation({ summary: 'All cases, the newest first' })
  list(): Promise<CaseBody[]> {
    return this.cases.list();
  }

  @Post()
  @ApiOperation({ summary: 'Opens a case' })
  make(@Body() { name }: CaseDto): Promise<CaseBody> {
    return this.cases.make(name);
  }

  @Put(':id')
  @ApiOperation({ summary: 'Renames a case' })
  rename(@Param('id', ParseIntPipe) id: number, @Body() { name }: CaseDto): Promise<CaseBody> {
    return this.cases.rename(id, name);
  }

  @Get(':id/pins')
  @ApiOperation({ summary: 'What is pinned in a case, the newest first' })
  pins(@Param('id', ParseIntPipe) id: number): Promise<Pin[]> {
    return this.cases.pins(id);
  }

  @Post(':id/pins')
  @ApiOperation({ summary: 'Pins a line, a pattern, a chart or a window, with the view that shows it' })
  pin(@Param('id', ParseIntPipe) id: number, @Body() body: PinDto): Promise<Pin> {
    return this.cases.pin(id, body);
  }

  @Put(':id/pins/:pin')
  @ApiOperation({ summary: 'Changes the note of a pin' })
  note(
    @Param('id', ParseIntPipe) id: number,
    @Param('pin', ParseIntPipe) pin: number,
    @Body() { note }: NoteDto,
  ): Promise<Pin> {
    return this.cases.note(id, pin, note);
  }

  @Delete(':id/pins/:pin')
  @HttpCode(204)
  @ApiOperation({ summary: 'Takes a pin off' })
  unpin(@Param('id', ParseIntPipe) id: number, @Param('pin', ParseIntPipe) pin: number): Promise<void> {
    return this.cases.unpin(id, pin);
  }
}
