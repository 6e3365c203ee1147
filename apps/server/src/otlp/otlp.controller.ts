import { encodeResponse, type Signal } from '@flail/core/otlp';
import { Controller, HttpCode, Post, Query, Req, Res } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request, Response } from 'express';
import { Problem } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';
import { OtlpService, type Taken } from './otlp.service.js';

const PROTOBUF = 'application/x-protobuf';
/** One request, or one on each line. */
const JSON_TYPES = ['application/json', 'application/x-ndjson', 'application/jsonl'];
const REJECTED: Record<Signal, string> = {
  logs: 'rejectedLogRecords',
  traces: 'rejectedSpans',
  metrics: 'rejectedDataPoints',
};

/** The OpenTelemetry protocol over HTTP, in JSON and in protocol buffers. */
@ApiTags('intake')
@Controller('v1')
export class OtlpController {
  constructor(
    private readonly otlp: OtlpService,
    private readonly store: RecordStore,
  ) {}

  @Post('logs')
  @HttpCode(200)
  @ApiOperation({ summary: 'Log records over OTLP/HTTP' })
  logs(@Req() request: Request, @Res() response: Response, @Query() query: DatasetQueryDto): Promise<void> {
    return this.answer('logs', request, response, query);
  }

  @Post('traces')
  @HttpCode(200)
  @ApiOperation({ summary: 'Spans over OTLP/HTTP' })
  traces(@Req() request: Request, @Res() response: Response, @Query() query: DatasetQueryDto): Promise<void> {
    return this.answer('traces', request, response, query);
  }

  @Post('metrics')
  @HttpCode(200)
  @ApiOperation({ summary: 'Metrics over OTLP/HTTP' })
  metrics(
    @Req() request: Request,
    @Res() response: Response,
    @Query() query: DatasetQueryDto,
  ): Promise<void> {
    return this.answer('metrics', request, response, query);
  }

  private async answer(
    signal: Signal,
    request: Request,
    response: Response,
    { dataset }: DatasetQueryDto,
  ): Promise<void> {
    const type = (request.headers['content-type'] ?? '').split(';')[0]!.trim().toLowerCase();
    if (type !== PROTOBUF && !JSON_TYPES.includes(type))
      throw new Problem(
        415,
        'content-type',
        'Not readable',
        `The protocol's requests come as application/json (one, or one a line) or ${PROTOBUF}, not as ${type || 'nothing named'}.`,
      );
    const body = request.body as Buffer | undefined;
    const bytes = Buffer.isBuffer(body) ? body : Buffer.alloc(0);
    const taken = await this.otlp.take(
      this.store.dataset(dataset),
      { signal, type: type === PROTOBUF ? 'protobuf' : 'json', bytes },
      keyOf(request),
    );
    response.type(type === PROTOBUF ? PROTOBUF : 'application/json');
    if (type === PROTOBUF) response.end(encodeResponse(taken.rejected, taken.reason));
    else response.end(JSON.stringify(responseOf(signal, taken)));
  }
}

const responseOf = (signal: Signal, { rejected, reason }: Taken): object =>
  rejected === 0 ? {} : { partialSuccess: { [REJECTED[signal]]: String(rejected), errorMessage: reason } };

function keyOf(request: Request): string | undefined {
  const key = request.headers['idempotency-key'];
  return typeof key === 'string' && key.length > 0 && key.length <= 200 ? key : undefined;
}
