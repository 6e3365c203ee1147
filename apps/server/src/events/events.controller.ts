import type { ChangesSearchAnswer, EventsAnswer } from '@flail/contract';
import { Body, Controller, HttpCode, Param, Post, Query, Req } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request } from 'express';
import { type Asker, WhoAsks } from '../access/asker.js';
import { badRequest, Problem } from '../problems/problem.js';
import { windowOf } from '../query/moments.js';
import { OtlpService } from '../otlp/otlp.service.js';
import { RecordStore } from '../store/record-store.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';
import { OutsideSystems } from '../outside/outside-systems.service.js';
import { ChangesService } from './changes.service.js';
import { ChangesSearchDto, OpenMetricsQueryDto } from './events.dto.js';
import { RunsService } from '../runs/runs.service.js';

const DEFAULT_LIMIT = 500;

/** Changes, runs and measurements that others tell of, and reads of the first two. */
@Controller('api/v1')
export class EventsController {
  constructor(
    private readonly changes: ChangesService,
    private readonly runs: RunsService,
    private readonly otlp: OtlpService,
    private readonly outside: OutsideSystems,
    private readonly store: RecordStore,
  ) {}

  @Post('intake/changes')
  @HttpCode(200)
  @ApiTags('intake')
  @ApiOperation({ summary: 'Changes as CloudEvents 1.0 in JSON, one or a batch' })
  takeChanges(@Req() request: Request, @Query() { dataset }: DatasetQueryDto): Promise<EventsAnswer> {
    return orRefused(this.changes.take(this.store.dataset(dataset), eventsIn(request)));
  }

  @Post('intake/runs')
  @HttpCode(200)
  @ApiTags('intake')
  @ApiOperation({ summary: 'Run events as of OpenLineage, one or a batch' })
  takeRuns(@Req() request: Request, @Query() { dataset }: DatasetQueryDto): Promise<EventsAnswer> {
    return orRefused(this.runs.take(this.store.dataset(dataset), eventsIn(request)));
  }

  @Post('intake/openmetrics')
  @HttpCode(200)
  @ApiTags('intake')
  @ApiOperation({ summary: 'Measurements as OpenMetrics text, or in the older form of it' })
  async takeOpenMetrics(
    @Req() request: Request,
    @Query() { dataset, service, instance, host, site }: OpenMetricsQueryDto,
  ): Promise<{ accepted: number; malformed: number; problems: { message: string }[] }> {
    const labels = Object.fromEntries(
      Object.entries({ service, instance, host, site }).flatMap(([name, value]) =>
        value === undefined ? [] : [[name, value]],
      ),
    );
    if (bodyOf(request).length === 0) throw badRequest('empty', 'There is no measurement in it.');
    const { accepted, rejected, reason } = await this.otlp.take(this.store.dataset(dataset), {
      signal: 'openmetrics',
      labels,
      arrival: Date.now() * 1000,
      bytes: bodyOf(request),
    });
    if (accepted === 0 && rejected > 0) throw badRequest('not-openmetrics', reason);
    return { accepted, malformed: rejected, problems: reason === '' ? [] : [{ message: reason }] };
  }

  @Post('changes/search')
  @HttpCode(200)
  @ApiTags('read')
  @ApiOperation({ summary: 'Changes of a window' })
  async searchChanges(@Body() body: ChangesSearchDto, @WhoAsks() asker: Asker): Promise<ChangesSearchAnswer> {
    const dataset = this.store.dataset(body.dataset);
    const window = this.store.shownPart(dataset, windowOf(body.window, 'window'));
    const found = await this.changes.search(dataset, asker, window, body.limit ?? DEFAULT_LIMIT);
    return { ...found, actions: this.outside.has('changeControl') ? ['revert'] : [] };
  }

  @Post('changes/:id/revert')
  @HttpCode(204)
  @ApiTags('action')
  @ApiOperation({ summary: 'Asks the change control to take a change back' })
  revert(@Param('id') change: string): Promise<void> {
    return this.outside.ask({ system: 'changeControl', change, verb: 'revert' });
  }
}

const bodyOf = (request: Request): Buffer => {
  const body = request.body as unknown;
  return Buffer.isBuffer(body) ? body : Buffer.alloc(0);
};

/** What was taken; where that is nothing, a sender that can't be read is not told that all is well. */
async function orRefused(taken: Promise<EventsAnswer>): Promise<EventsAnswer> {
  const answer = await taken;
  if (answer.accepted === 0)
    throw badRequest('no-event', `Nothing in it is an event that is known: ${answer.problems[0]!.message}`);
  return answer;
}

/** The events of a request: one, a list of them, one on each line, or one whose attributes stand in the headers. */
function eventsIn(request: Request): Buffer {
  const body = bodyOf(request);
  const type = (request.headers['content-type'] ?? '').split(';')[0]!.trim().toLowerCase();
  if (request.headers['ce-specversion'] !== undefined) return eventOfHeaders(request, type, body);
  if (
    !/^(?:|application\/(?:[\w.+-]+\+)?json|application\/(?:x-)?ndjson|application\/jsonl|text\/plain)$/.test(
      type,
    )
  )
    throw new Problem(415, 'content-type', 'Not readable', `Events come as JSON, not as ${type}.`);
  return body;
}

/** An event of CloudEvents in its binary form: the attributes are headers, the body is the data. */
function eventOfHeaders(request: Request, type: string, body: Buffer): Buffer {
  const event: Record<string, unknown> = {};
  for (const [name, value] of Object.entries(request.headers))
    if (name.startsWith('ce-') && typeof value === 'string') event[name.slice(3)] = decodedHeader(value);
  if (/json$/.test(type) && body.length > 0) {
    try {
      event.data = JSON.parse(body.toString('utf8')) as unknown;
    } catch (error) {
      throw badRequest('not-json', `The data are no JSON: ${error instanceof Error ? error.message : ''}.`);
    }
  } else if (body.length > 0) event.data = body.toString('utf8');
  return Buffer.from(JSON.stringify(event));
}

/** Headers are percent-encoded where they hold other than plain characters. */
function decodedHeader(value: string): string {
  try {
    return decodeURIComponent(value);
  } catch {
    return value;
  }
}
