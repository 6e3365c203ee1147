import type { FormatPreview, LevelName, RetentionBody, SourceSummary } from '@flail/contract';
import {
  type CsvColumns,
  type FormatName,
  guessColumns,
  type Head,
  type Order,
  previewOf,
} from '@flail/core';
import { Injectable } from '@nestjs/common';
import { type Asker, OPERATOR, operatorsOnly } from '../access/asker.js';
import { SourceModel } from '../database/models.js';
import { notFound } from '../problems/problem.js';
import { momentText } from '@flail/core/time';
import { windowBody } from '../query/moments.js';
import { QueryService } from '../query/query.service.js';
import { SummaryService } from '../query/summary.service.js';
import { type Dataset, isLive, RecordStore } from '../store/record-store.js';

const SECOND = 1_000_000;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;
const RATE_MINUTES = 5;
const LINES_SHOWN = 20;
/** Sources that are told of, where no other number is asked for. */
const MOST_SOURCES = 500;

/** A clock that is further ahead than this is wrong. */
const AHEAD_SECONDS = 30;
/** A source is silent when it has not been seen for so many times as long as its records usually are apart. */
const SILENT_TIMES = 30;
const SILENT_SECONDS = 5 * 60;
/** A source floods when it sends so many times as much as it did on average, and so much that it matters. */
const FLOOD_TIMES = 10;
const FLOOD_RATE = 50;
const MALFORMED_SHARE = 0.01;
/** Problems of lines by which times are wrong, and when a share of them matters. */
const TIMELESS = ['no-time', 'time-out-of-range'];
const TIMELESS_SHARE = 0.01;
/** A clock that is ahead by whole quarters of an hour tells of a zone, not of a clock. */
const ZONE_STEP = 900;
const ZONE_SLACK = 90;
const MOST_ZONE = 14 * 3600;

/** Counts of a source by level, in the last hour and in the last minutes. */
interface Recent {
  levels: Partial<Record<LevelName, number>>;
  newest: number;
}

/** The inventory of sources: who sends, what, how much, and what is wrong about it. */
/** What a person says of how lines are read. */
export interface Reading {
  columns?: CsvColumns | undefined;
  heads?: readonly Head[] | undefined;
}

@Injectable()
export class SourcesService {
  constructor(
    private readonly store: RecordStore,
    private readonly summaries: SummaryService,
    private readonly queries: QueryService,
  ) {}

  /** Of a kept data set, as it was at its end, or as far as it is shown. */
  async list(
    dataset: Dataset,
    asker: Asker,
    now = this.nowOf(dataset),
    limit = MOST_SOURCES,
  ): Promise<{ sources: SourceSummary[]; total: number }> {
    operatorsOnly(asker, 'Sources');
    const sources: SourceSummary[] = [];
    let total = 0;
    for (const own of [dataset, await this.store.spansOf(dataset)]) {
      const where = { datasetId: own.id };
      total += await SourceModel.count({ where });
      // Of very many, those that were seen last.
      const rows = await SourceModel.findAll({ where, order: [['lastSeen', 'DESC'], 'name'], limit });
      rows.sort((a, b) => (a.name < b.name ? -1 : 1));
      const recent = await this.recentOf(own, now);
      for (const row of rows) sources.push(summaryOf(own, row, recent.get(row.name), now, isLive(dataset)));
    }
    return { sources, total };
  }

  /** What the newest lines of a source would become in a format. */
  async preview(
    dataset: Dataset,
    asker: Asker,
    name: string,
    format: FormatName,
    given: Reading = {},
  ): Promise<FormatPreview> {
    operatorsOnly(asker, 'Sources');
    const row = await this.rowOf(dataset, name);
    const lines = await this.linesOf(dataset, name, 'newest', LINES_SHOWN);
    const known = format === 'csv' ? (given.columns ?? row.columns) : undefined;
    // Columns that nobody has named are named by the first line, if that is what it does.
    const columns =
      format === 'csv'
        ? (known ?? guessColumns((await this.linesOf(dataset, name, 'oldest', 1))[0] ?? ''))
        : undefined;
    const heads = format === 'plain' ? (given.heads ?? row.heads ?? undefined) : undefined;
    const previews = previewOf(lines, format, { columns, heads, now: Date.now() * 1000 });
    return {
      format,
      ...(columns && { columns }),
      ...(heads && { heads }),
      read: previews.filter(({ read }) => read).length,
      lines: previews.map(({ micros, ...rest }) => ({
        ...rest,
        ...(micros !== undefined && { time: momentText(micros) }),
      })),
    };
  }

  /** Says what format a source has from now on, and what its columns are, or what its lines open with; null lets it be found again. */
  async correct(
    dataset: Dataset,
    asker: Asker,
    name: string,
    format: FormatName | null,
    { columns, heads }: Reading = {},
  ): Promise<void> {
    operatorsOnly(asker, 'Sources');
    const row = await this.rowOf(dataset, name);
    await this.store.writes.run(() =>
      row.update({
        givenFormat: format,
        ...(columns && { columns }),
        // What lines open with is learned again, unless it is said.
        heads: heads ?? null,
        ...(format === null && { columns: null }),
      }),
    );
  }

  private async linesOf(dataset: Dataset, source: string, order: Order, limit: number): Promise<string[]> {
    const window = { from: 0, to: Number.MAX_SAFE_INTEGER };
    const scope = `source = ${JSON.stringify(source)}`;
    const { records } = await this.queries.search({ asker: OPERATOR, dataset, window, scope }, order, limit);
    return records.map(({ line }) => line);
  }

  async retain(
    dataset: Dataset,
    asker: Asker,
    name: string,
    { maxAgeHours, maxBytes }: RetentionBody,
  ): Promise<RetentionBody> {
    operatorsOnly(asker, 'Sources');
    const row = await this.rowOf(dataset, name);
    const maxAge = maxAgeHours === undefined ? null : maxAgeHours * 3600;
    await this.store.writes.run(() => row.update({ maxAge, maxBytes: maxBytes ?? null }));
    return retentionBody(row);
  }

  private nowOf(dataset: Dataset): number {
    const now = Date.now() * 1000;
    return isLive(dataset) ? now : (this.store.shown(dataset)?.to ?? now);
  }

  private async rowOf({ id }: Dataset, name: string): Promise<SourceModel> {
    const row = await SourceModel.findOne({ where: { datasetId: id, name } });
    if (!row) throw notFound('no-such-source', `There is no source "${name}".`);
    return row;
  }

  private async recentOf(dataset: Dataset, now: number): Promise<Map<string, Recent>> {
    const { rows, baselineRows } = await this.summaries.summary(
      {
        asker: OPERATOR,
        dataset,
        window: { from: now - HOUR, to: now + HOUR },
        baseline: { from: now - RATE_MINUTES * MINUTE, to: now },
      },
      'then count by source, level',
    );
    const recent = new Map<string, Recent>();
    const of = (source: string): Recent => {
      let own = recent.get(source);
      if (!own) recent.set(source, (own = { levels: {}, newest: 0 }));
      return own;
    };
    for (const [source, level, count] of rows as [string, LevelName | null, number][])
      of(source).levels[level ?? 'unset'] = count;
    for (const [source, , count] of (baselineRows ?? []) as [string, LevelName | null, number][])
      of(source).newest += count;
    return recent;
  }
}

function summaryOf(
  { signal }: Dataset,
  row: SourceModel,
  recent: Recent | undefined,
  now: number,
  live: boolean,
): SourceSummary {
  const { name, format, records, malformed, bytes, lastSeen, fromMicros, toMicros, ahead, givenFormat } = row;
  const rate = (recent?.newest ?? 0) / (RATE_MINUTES * 60);
  const held = row.maxAge !== null || row.maxBytes !== null;
  return {
    name,
    signal,
    format: givenFormat ?? format,
    corrected: givenFormat !== null,
    records,
    malformed,
    bytes,
    lastSeen: lastSeen.toISOString(),
    ...(fromMicros !== null &&
      toMicros !== null && { window: windowBody({ from: fromMicros, to: toMicros + 1 }) }),
    rate,
    levels: recent?.levels ?? {},
    ...(ahead !== null && live && { ahead }),
    problems: (row.problems ?? []).map(({ message, count, sample }) => ({
      message,
      count,
      ...(sample !== undefined && { sample }),
    })),
    warnings: live ? warningsOf(row, rate, now) : malformedWarnings(row),
    ...(held && { retention: retentionBody(row) }),
  };
}

function warningsOf(
  { records, malformed, fromMicros, toMicros, ahead, lastSeen, problems }: SourceModel,
  rate: number,
  now: number,
): string[] {
  const warnings: string[] = [];
  if (ahead !== null && ahead > AHEAD_SECONDS) warnings.push(aheadText(ahead));
  const covered = fromMicros !== null && toMicros !== null ? (toMicros - fromMicros) / SECOND : 0;
  if (covered > SILENT_SECONDS && records > 1) {
    const apart = covered / (records - 1);
    const silent = now / SECOND - lastSeen.getTime() / 1000;
    if (silent > Math.max(SILENT_SECONDS, apart * SILENT_TIMES))
      warnings.push(
        `Silent for ${Math.round(silent / 60)} min; its records are usually ${apartText(apart)} apart.`,
      );
    const usual = records / covered;
    if (rate > FLOOD_RATE && rate > usual * FLOOD_TIMES)
      warnings.push(
        `Sends ${Math.round(rate)} records a second, ${Math.round(rate / usual)} times its average.`,
      );
  }
  return [...warnings, ...malformedWarnings({ records, malformed, problems })];
}

/** What is wrong with how its lines are read. */
function malformedWarnings({
  records,
  malformed,
  problems,
}: Pick<SourceModel, 'records' | 'malformed' | 'problems'>): string[] {
  const warnings: string[] = [];
  const timeless = (problems ?? [])
    .filter(({ code }) => TIMELESS.includes(code))
    .reduce((sum, { count }) => sum + count, 0);
  if (timeless > records * TIMELESS_SHARE)
    warnings.push(
      `${shareText(timeless, records)} of its records tell no time that can be read; they have that of the record before, or of their arrival.`,
    );
  if (malformed > records * MALFORMED_SHARE)
    warnings.push(`${shareText(malformed, records)} of its lines are not of its format.`);
  return warnings;
}

const shareText = (part: number, of: number): string =>
  part >= of ? 'All' : `${Math.min(99.9, (100 * part) / of).toFixed(1)}%`;

function aheadText(ahead: number): string {
  const zone = Math.round(ahead / ZONE_STEP) * ZONE_STEP;
  if (zone > 0 && zone <= MOST_ZONE && Math.abs(ahead - zone) <= ZONE_SLACK)
    return `Its times are ${zone / 3600} h ahead of this machine's: they may be of another zone and not say so; such times are read as UTC.`;
  return `Its clock is ${Math.round(ahead)} s ahead of this machine's.`;
}

const apartText = (seconds: number): string =>
  seconds < 1
    ? 'less than a second'
    : seconds < 120
      ? `${Math.round(seconds)} s`
      : `${Math.round(seconds / 60)} min`;

const retentionBody = ({ maxAge, maxBytes }: SourceModel): RetentionBody => ({
  ...(maxAge !== null && { maxAgeHours: maxAge / 3600 }),
  ...(maxBytes !== null && { maxBytes }),
});
