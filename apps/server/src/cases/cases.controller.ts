import type {
  CaseAnswer,
  CaseBody,
  InvestigationAnswer,
  InvestigationNews,
  Pin,
  RecoveryAnswer,
} from '@flail/contract';
import {
  Body,
  Controller,
  Delete,
  Get,
  HttpCode,
  Param,
  ParseIntPipe,
  Post,
  Put,
  Query,
  Req,
  Res,
} from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request, Response } from 'express';
import { type Asker, operatorsOnly, WhoAsks } from '../access/asker.js';
import { sendArchive } from '../bundles/send-archive.js';
import { askedOf } from '../query/asked.js';
import { RecordStore } from '../store/record-store.js';
import { toldAnswer } from '../told/told-answer.js';
import {
  CaseBundleQueryDto,
  CaseChangeDto,
  CaseDto,
  InvestigationDto,
  NoteDto,
  PinDto,
  ReportQueryDto,
} from './cases.dto.js';
import { CaseTransfer } from './case-transfer.js';
import { CasesService } from './cases.service.js';
import { InvestigationService } from './investigation.service.js';
import { RecoveryService } from './recovery.service.js';
import { ReportService } from './report.service.js';

/** Cases, what is pinned in them, and what was found. */
@ApiTags('kept work')
@Controller('api/v1')
export class CasesController {
  constructor(
    private readonly cases: CasesService,
    private readonly investigations: InvestigationService,
    private readonly recoveries: RecoveryService,
    private readonly reports: ReportService,
    private readonly transfers: CaseTransfer,
    private readonly store: RecordStore,
  ) {}

  @Get('cases')
  @ApiOperation({ summary: 'All cases, the newest first' })
  list(): Promise<CaseBody[]> {
    return this.cases.list();
  }

  @Post('cases')
  @ApiOperation({ summary: 'Opens a case' })
  make(@Body() { name }: CaseDto): Promise<CaseBody> {
    return this.cases.make(name);
  }

  @Get('cases/:id')
  @ApiOperation({ summary: 'A case in full, with past ones that are like it' })
  inFull(@Param('id', ParseIntPipe) id: number): Promise<CaseAnswer> {
    return this.cases.inFull(id);
  }

  @Put('cases/:id')
  @ApiOperation({ summary: 'Changes a case; what is left out stays' })
  change(@Param('id', ParseIntPipe) id: number, @Body() change: CaseChangeDto): Promise<CaseAnswer> {
    return this.cases.change(id, change);
  }

  @Get('cases/:id/report')
  @ApiOperation({ summary: 'A case written down: Markdown, a page that stands alone, or JSON' })
  async report(
    @Param('id', ParseIntPipe) id: number,
    @Query() { format = 'markdown' }: ReportQueryDto,
    @WhoAsks() asker: Asker,
    @Res() response: Response,
  ): Promise<void> {
    if (format === 'json') response.json(await this.reports.json(id));
    else if (format === 'html') response.type('text/html').send(await this.reports.html(id, asker));
    else response.type('text/markdown').send(await this.reports.text(id, asker));
  }

  @Get('cases/:id/bundle')
  @ApiOperation({
    summary:
      'A case as a bundle to be opened elsewhere: its findings and pins, and the records of its windows',
  })
  async bundle(
    @Param('id', ParseIntPipe) id: number,
    @Query() { redact = [] }: CaseBundleQueryDto,
    @WhoAsks() asker: Asker,
    @Res() response: Response,
  ): Promise<void> {
    operatorsOnly(asker, 'Bundles');
    const { name, archive } = await this.transfers.write(id, asker, redact);
    sendArchive(response, name, archive);
  }

  @Get('cases/:id/pins')
  @ApiOperation({ summary: 'What is pinned in a case, the newest first' })
  pins(@Param('id', ParseIntPipe) id: number): Promise<Pin[]> {
    return this.cases.pins(id);
  }

  @Post('cases/:id/pins')
  @ApiOperation({ summary: 'Pins something, with the view that shows it' })
  pin(@Param('id', ParseIntPipe) id: number, @Body() body: PinDto): Promise<Pin> {
    return this.cases.pin(id, body);
  }

  @Put('cases/:id/pins/:pin')
  @ApiOperation({ summary: 'Changes the note of a pin' })
  note(
    @Param('id', ParseIntPipe) id: number,
    @Param('pin', ParseIntPipe) pin: number,
    @Body() { note }: NoteDto,
  ): Promise<Pin> {
    return this.cases.note(id, pin, note);
  }

  @Delete('cases/:id/pins/:pin')
  @HttpCode(204)
  @ApiOperation({ summary: 'Takes a pin off' })
  unpin(@Param('id', ParseIntPipe) id: number, @Param('pin', ParseIntPipe) pin: number): Promise<void> {
    return this.cases.unpin(id, pin);
  }

  @Post('investigations')
  @HttpCode(200)
  @ApiTags('read')
  @ApiOperation({
    summary:
      'Asks the standard questions of a window, or of the runs of a job, and concludes from the answers',
    description:
      'Asked for application/x-ndjson, it tells line by line which question is under way and what was found.',
  })
  investigate(
    @Body() body: InvestigationDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
    @Res() response: Response,
  ): Promise<void> {
    const asked = askedOf(this.store, body, asker, request);
    return toldAnswer<InvestigationNews>(request, response, (tell): Promise<InvestigationAnswer> =>
      this.investigations.investigate(asked, body.job ?? '', tell),
    );
  }

  @Post('recovery')
  @HttpCode(200)
  @ApiTags('read')
  @ApiOperation({ summary: 'Whether what failed in a window has ended since, against the baseline' })
  recovery(
    @Body() body: InvestigationDto,
    @WhoAsks() asker: Asker,
    @Req() request: Request,
  ): Promise<RecoveryAnswer> {
    return this.recoveries.recovery(askedOf(this.store, body, asker, request), body.job ?? '');
  }
}
