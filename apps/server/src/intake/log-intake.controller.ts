import type { IntakeAnswer } from '@flail/contract';
import { FORMATS, type FormatName } from '@flail/core';
import {
  Controller,
  createParamDecorator,
  type ExecutionContext,
  HttpCode,
  Post,
  Req,
  ValidationPipe,
} from '@nestjs/common';
import {
  ApiBody,
  ApiConsumes,
  ApiHeader,
  ApiOperation,
  ApiPropertyOptional,
  ApiQuery,
  ApiTags,
} from '@nestjs/swagger';
import { IsIn, IsNotEmpty, IsOptional, IsString, MaxLength } from 'class-validator';
import type { Request } from 'express';
import { badRequest, Problem } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';
import { FileIntake } from './file-intake.service.js';

const FORMAT_CHOICE = ['auto', ...FORMATS] as const;
const ACCEPTED_TYPES =
  /^(?:text\/[\w.+-]+|application\/(?:x-)?ndjson|application\/jsonl?|application\/octet-stream|application\/(?:x-)?gzip|application\/x-www-form-urlencoded)$/;
const MAX_ATTRIBUTES = 32;
const ATTRIBUTE = 'attr.';

export class IntakeQueryDto {
  @ApiPropertyOptional({ description: 'Name of the source, such as a file or a service', default: 'unnamed' })
  @IsOptional()
  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  source?: string;

  @ApiPropertyOptional({ enum: FORMAT_CHOICE, default: 'auto' })
  @IsOptional()
  @IsIn(FORMAT_CHOICE)
  format?: FormatName | 'auto';

  @ApiPropertyOptional({ default: 'live' })
  @IsOptional()
  @IsString()
  dataset?: string;
}

/** The parameters of an intake request, without those by which the sender declares what it is. */
const IntakeParameters = createParamDecorator(
  (_: unknown, context: ExecutionContext): Record<string, unknown> => {
    const { query } = context.switchToHttp().getRequest<Request>();
    return Object.fromEntries(Object.entries(query).filter(([name]) => !name.startsWith(ATTRIBUTE)));
  },
);
const checked = new ValidationPipe({
  transform: true,
  whitelist: true,
  forbidNonWhitelisted: true,
  validateCustomDecorators: true,
});

/** Intake of log lines. */
@ApiTags('intake')
@Controller('api/v1/intake')
export class LogIntakeController {
  constructor(
    private readonly intake: FileIntake,
    private readonly store: RecordStore,
  ) {}

  @Post('logs')
  @HttpCode(200)
  @ApiOperation({
    summary: 'Takes in log lines, plain or gzip, as a stream',
    description:
      'Answers once every record is stored. What the sender declares of itself comes as attr.NAME parameters, such as attr.service=NAME or attr.host=NAME.',
  })
  @ApiConsumes('text/plain', 'application/x-ndjson', 'application/gzip')
  @ApiBody({ schema: { type: 'string', format: 'binary' } })
  @ApiHeader({
    name: 'Idempotency-Key',
    required: false,
    description: 'The same batch sent again with the same key is stored once.',
  })
  @ApiQuery({ type: IntakeQueryDto })
  logs(@IntakeParameters(checked) query: IntakeQueryDto, @Req() request: Request): Promise<IntakeAnswer> {
    const type = (request.headers['content-type'] ?? '').split(';')[0]!.trim().toLowerCase();
    if (type !== '' && !ACCEPTED_TYPES.test(type)) {
      throw new Problem(
        415,
        'content-type',
        'Not a log file',
        `Lines are taken as text, JSON lines or gzip, not as ${type}. Send them with Content-Type: text/plain.`,
      );
    }
    const encoding = request.headers['content-encoding'] ?? 'identity';
    if (encoding !== 'identity' && encoding !== 'gzip') {
      throw new Problem(
        415,
        'content-encoding',
        'Not readable',
        `Bodies are taken plain or as gzip, not as ${encoding}.`,
      );
    }
    const key = request.headers['idempotency-key'];
    if (Array.isArray(key) || (key !== undefined && (key.length === 0 || key.length > 200))) {
      throw badRequest('idempotency-key', 'An Idempotency-Key has 1 to 200 characters.');
    }
    return this.intake.take({
      dataset: this.store.dataset(query.dataset),
      source: query.source ?? 'unnamed',
      attributes: attributesOf(request),
      format: query.format ?? 'auto',
      ...(key !== undefined && { key }),
      body: request,
    });
  }
}

/** What the sender declares of itself, from parameters named `attr.NAME`. */
function attributesOf(request: Request): Record<string, string> {
  const attributes: Record<string, string> = {};
  for (const [name, value] of new URL(request.originalUrl, 'http://local').searchParams) {
    if (name.startsWith(ATTRIBUTE) && name.length > ATTRIBUTE.length)
      attributes[name.slice(ATTRIBUTE.length)] = value.slice(0, 500);
  }
  if (Object.keys(attributes).length > MAX_ATTRIBUTES) {
    throw badRequest('attributes', `A sender may declare ${MAX_ATTRIBUTES} attributes at most.`);
  }
  return attributes;
}
