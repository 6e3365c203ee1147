import type { FollowNews } from '@flail/contract';
import { Controller, Query, Sse } from '@nestjs/common';
import { EventEmitter2 } from '@nestjs/event-emitter';
import { ApiOperation, ApiPropertyOptional, ApiTags } from '@nestjs/swagger';
import { IsOptional, IsString, MaxLength } from 'class-validator';
import { bufferTime, concatMap, filter, from, fromEvent, interval, map, merge, type Observable } from 'rxjs';
import { parseExpression } from '@flail/core';
import { type Asker, WhoAsks } from '../access/asker.js';
import { RECORDS_STORED } from '../intake/log-intake.service.js';
import { QueryService } from '../query/query.service.js';
import { type Dataset, RecordStore, type SegmentInfo } from '../store/record-store.js';
import { SegmentGoneError } from '../store/segment-gone.js';
import { DatasetQueryDto } from '../system/dataset-query.dto.js';

/** News are gathered for so long: often enough to look live, seldom enough to be read. */
const GATHER_MS = 300;
/** Of more records the newest are sent; nobody reads faster. */
const MOST_RECORDS = 500;
/** Connections that say nothing for long are cut by what lies between. */
const ALIVE_MS = 15_000;

export class FollowQueryDto extends DatasetQueryDto {
  @ApiPropertyOptional({ description: 'Filter expression' })
  @IsOptional()
  @IsString()
  @MaxLength(20_000)
  scope?: string;
}

interface Message {
  data: FollowNews | string;
  type?: string;
}

/** Records as they come in. */
@ApiTags('read')
@Controller('api/v1/logs/follow')
export class FollowController {
  constructor(
    private readonly store: RecordStore,
    private readonly queries: QueryService,
    private readonly events: EventEmitter2,
  ) {}

  @Sse()
  @ApiOperation({ summary: 'Records that match, as they are stored: server-sent events' })
  follow(
    @Query() { dataset: key, scope = '' }: FollowQueryDto,
    @WhoAsks() asker: Asker,
  ): Observable<Message> {
    const dataset = this.store.dataset(key);
    parseExpression(scope);
    const stored = fromEvent(this.events, RECORDS_STORED) as Observable<[Dataset, SegmentInfo]>;
    const news = stored.pipe(
      filter(([own]) => own === dataset),
      map(([, { id }]) => id),
      bufferTime(GATHER_MS),
      filter((segments) => segments.length > 0),
      concatMap((segments) => from(this.newsOf({ asker, dataset, scope }, segments))),
      filter(({ matched }) => matched > 0),
      map((data): Message => ({ data })),
    );
    return merge(news, interval(ALIVE_MS).pipe(map((): Message => ({ type: 'alive', data: 'alive' }))));
  }

  /** What matches in segments. Where they were put together with others within the moment, nothing is told of them. */
  private async newsOf(
    asked: { asker: Asker; dataset: Dataset; scope: string },
    segments: number[],
  ): Promise<FollowNews> {
    try {
      return await this.queries.newestOf(asked, segments, MOST_RECORDS);
    } catch (error) {
      if (error instanceof SegmentGoneError) return { records: [], matched: 0 };
      throw error;
    }
  }
}
