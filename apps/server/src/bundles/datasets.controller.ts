import type { DatasetSummary, OpenedBundle } from '@flail/contract';
import { microsOf, momentText } from '@flail/core/time';
import { Body, Controller, Delete, Get, HttpCode, Param, Post, Put, Query, Req, Res } from '@nestjs/common';
import { ApiBody, ApiConsumes, ApiOperation, ApiTags } from '@nestjs/swagger';
import type { Request, Response } from 'express';
import { type Asker, operatorsOnly, WhoAsks } from '../access/asker.js';
import { badRequest, Problem } from '../problems/problem.js';
import { windowBody, windowOf } from '../query/moments.js';
import { SeriesService } from '../series/series.service.js';
import { type Dataset, isLive, RecordStore } from '../store/record-store.js';
import { shownUntil } from '../store/replay.js';
import { BundleOpener } from './bundle-opener.js';
import { BundleWriter } from './bundle-writer.js';
import { sendArchive } from './send-archive.js';
import { BundleQueryDto, DatasetDto, OpenBundleQueryDto, ReplayDto } from './datasets.dto.js';

const ZIP = /^application\/(?:zip|x-zip-compressed|octet-stream)$/;

/** Data sets: the live one, and kept bundles beside it. */
@ApiTags('data sets')
@Controller('api/v1/datasets')
export class DatasetsController {
  constructor(
    private readonly store: RecordStore,
    private readonly opener: BundleOpener,
    private readonly writer: BundleWriter,
    private readonly series: SeriesService,
  ) {}

  @Get()
  @ApiOperation({ summary: 'Data sets and the time they cover' })
  list(): Promise<DatasetSummary[]> {
    const kept = this.store.all().filter(({ signal }) => signal === 'logs');
    return Promise.all(kept.map((dataset) => this.bodyOf(dataset)));
  }

  @Post()
  @ApiOperation({
    summary: 'Opens a bundle, a zip archive, as a data set of its own',
    description:
      'Of this program, or of log files, CSV, and OTLP, CloudEvents or OpenLineage in JSON. Answers once all of it is stored; of one that can not be read nothing is kept.',
  })
  @ApiConsumes('application/zip')
  @ApiBody({ schema: { type: 'string', format: 'binary' } })
  open(
    @Query() { name }: OpenBundleQueryDto,
    @Req() request: Request,
    @WhoAsks() asker: Asker,
  ): Promise<OpenedBundle> {
    operatorsOnly(asker, 'Bundles');
    const type = (request.headers['content-type'] ?? '').split(';')[0]!.trim().toLowerCase();
    if (type !== '' && !ZIP.test(type))
      throw new Problem(415, 'content-type', 'Not a bundle', `A bundle is a zip archive, not ${type}.`);
    return this.opener.open(request, name);
  }

  @Get(':id/bundle')
  @ApiOperation({ summary: 'A data set, or a window of it, as a bundle to be opened elsewhere' })
  async bundle(
    @Param('id') id: string,
    @Query() { from, to, name, view }: BundleQueryDto,
    @WhoAsks() asker: Asker,
    @Res() response: Response,
  ): Promise<void> {
    operatorsOnly(asker, 'Bundles');
    const dataset = this.store.dataset(id);
    if ((from === undefined) !== (to === undefined))
      throw badRequest('window', 'Give both from and to, or neither.');
    const held = { from: 0, to: Number.MAX_SAFE_INTEGER };
    const window = from !== undefined && to !== undefined ? windowOf({ from, to }, 'window') : held;
    const title = name ?? dataset.name;
    const archive = await this.writer.write(dataset, title, window, view);
    sendArchive(response, title, archive);
  }

  @Put(':id')
  @ApiOperation({ summary: 'Renames a data set' })
  async rename(
    @Param('id') id: string,
    @Body() { name }: DatasetDto,
    @WhoAsks() asker: Asker,
  ): Promise<DatasetSummary> {
    operatorsOnly(asker, 'Data sets');
    const dataset = this.store.dataset(id);
    await this.store.settle(dataset, { name });
    return this.bodyOf(dataset);
  }

  @Delete(':id')
  @HttpCode(204)
  @ApiOperation({ summary: 'Lets go of a kept data set with all that is in it' })
  async forget(@Param('id') id: string, @WhoAsks() asker: Asker): Promise<void> {
    operatorsOnly(asker, 'Data sets');
    const dataset = this.kept(id);
    if (!dataset.ready)
      throw new Problem(409, 'not-ready', 'Not now', 'This bundle is still being opened; wait for its end.');
    await this.store.forget(dataset);
  }

  @Put(':id/replay')
  @ApiOperation({ summary: 'Plays a kept data set back: only what comes before its position is shown' })
  async replay(
    @Param('id') id: string,
    @Body() change: ReplayDto,
    @WhoAsks() asker: Asker,
  ): Promise<DatasetSummary> {
    operatorsOnly(asker, 'Data sets');
    const dataset = this.kept(id);
    const held = this.store.held(dataset);
    if (!held) throw badRequest('empty', 'There is nothing in this data set.');
    const { replay } = dataset;
    const end = held.to + 1;
    const given = change.position === undefined ? undefined : microsOf(change.position);
    if (Number.isNaN(given))
      throw badRequest('moment', `position is not a moment in RFC 3339: "${change.position!}".`);
    const position = given ?? (replay ? shownUntil(dataset) : held.from);
    await this.store.settle(dataset, {
      replay: {
        playing: change.playing ?? replay?.playing ?? true,
        speed: change.speed ?? replay?.speed ?? 60,
        position: Math.min(end, Math.max(held.from, position)),
        since: Date.now(),
      },
    });
    return this.bodyOf(dataset);
  }

  @Delete(':id/replay')
  @HttpCode(204)
  @ApiOperation({ summary: 'Ends playing back: all of it is shown' })
  async endReplay(@Param('id') id: string, @WhoAsks() asker: Asker): Promise<void> {
    operatorsOnly(asker, 'Data sets');
    await this.store.settle(this.kept(id), { replay: null });
  }

  private kept(id: string): Dataset {
    const dataset = this.store.dataset(id);
    if (isLive(dataset))
      throw new Problem(
        409,
        'live',
        'Not this one',
        'The live data set is neither played back nor let go of.',
      );
    return dataset;
  }

  private async bodyOf(dataset: Dataset): Promise<DatasetSummary> {
    const held = this.store.held(dataset) ?? (await this.series.held(dataset));
    const spans = await this.store.spansOf(dataset);
    const { replay } = dataset;
    const end = held ? held.to + 1 : 0;
    const position = Math.min(shownUntil(dataset), end);
    return {
      id: dataset.key,
      name: dataset.name,
      records: recordsOf(dataset),
      spans: recordsOf(spans),
      live: isLive(dataset),
      view: dataset.view,
      ready: dataset.ready,
      ...(held && { window: windowBody({ from: held.from, to: end }) }),
      ...(replay && {
        replay: {
          // It stops by itself at its end.
          playing: replay.playing && position < end,
          speed: replay.speed,
          position: momentText(position),
        },
      }),
    };
  }
}

const recordsOf = ({ segments }: Dataset): number => segments.reduce((sum, { count }) => sum + count, 0);
