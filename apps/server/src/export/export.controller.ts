import type { ExportFormat } from '@flail/contract';
import { Body, Controller, HttpCode, Post, Req, Res } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request, Response } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { askedOf } from '../query/asked.js';
import { RecordStore } from '../store/record-store.js';
import { ExportDto } from './export.dto.js';
import { ExportService } from './export.service.js';

const FILES: Record<ExportFormat, { type: string; name: string }> = {
  text: { type: 'text/plain; charset=utf-8', name: 'lines.log' },
  jsonl: { type: 'application/x-ndjson', name: 'lines.jsonl' },
  csv: { type: 'text/csv; charset=utf-8', name: 'lines.csv' },
  otlp: { type: 'application/x-ndjson', name: 'lines.otlp.jsonl' },
};

/** Files of what was found. */
@ApiTags('read')
@Controller('api/v1/export')
export class ExportController {
  constructor(
    private readonly exports: ExportService,
    private readonly store: RecordStore,
  ) {}

  @Post()
  @HttpCode(200)
  @ApiOperation({
    summary: 'Records that match, as a file, in the order of time',
    description:
      'As received (text), as JSON lines, as CSV with chosen columns, or as OTLP/HTTP requests in JSON, one a line. Cells that a program for tables would take for formulas get an apostrophe before them.',
  })
  async export(
    @Body() body: ExportDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const { format, columns } = body;
    const stream = await this.exports.lines(askedOf(this.store, body, asker, request), format, columns);
    const { type, name } = FILES[format];
    response.type(type).attachment(name);
    stream.once('error', () => response.destroy());
    stream.pipe(response);
  }
}
