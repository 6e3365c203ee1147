import { type Context, Redactor, type Window } from '@flail/core';
import { momentText } from '@flail/core/time';
import { Injectable, Logger } from '@nestjs/common';
import { Op } from 'sequelize';
import { Readable } from 'node:stream';
import { ZipFile } from 'yazl';
import { ChangeModel, ExemplarModel, RunModel, SourceModel } from '../database/models.js';
import { RulesTransfer } from '../grouping/rules-transfer.js';
import type { Effort } from '../query/lane-tasks.js';
import { missingBody, noEffort } from '../query/missing.js';
import { QueryPool } from '../query/query-pool.js';
import { SeriesService } from '../series/series.service.js';
import { type Dataset, RecordStore, type SegmentInfo } from '../store/record-store.js';
import { type Manifest, MANIFEST, type RecordsFile, VERSION } from './manifest.js';

/** Series that are read at once. */
const SERIES_AT_ONCE = 10;
const EVENTS_AT_ONCE = 500;

/** A part of a bundle: its name, and the pieces of its content, read when its turn comes. */
interface Part {
  file: string;
  pieces: () => AsyncIterable<Uint8Array> | Iterable<Uint8Array>;
}

/** What a bundle holds beside the records of its window. */
export interface BundleExtras {
  /** Files of its own, and what they hold. */
  files?: { file: string; content: object | string }[];
  /** What values are replaced by, wherever they stand. */
  redacted?: Map<string, string>;
  /** Microseconds before the window from which on series are carried: what is normal is told from them. */
  past?: number;
}

/** Writes a data set, or a window of it, into one file that can be opened elsewhere. */
@Injectable()
export class BundleWriter {
  private readonly logger = new Logger('Bundle');

  constructor(
    private readonly store: RecordStore,
    private readonly pool: QueryPool,
    private readonly series: SeriesService,
    private readonly rules: RulesTransfer,
  ) {}

  /** The bundle as a zip archive, made while it is read. */
  async write(
    dataset: Dataset,
    name: string,
    window: Window,
    view = dataset.view,
    { files = [], redacted, past = 0 }: BundleExtras = {},
  ): Promise<Readable> {
    const zip = new ZipFile();
    const archive = zip.outputStream as Readable;
    const spans = await this.store.spansOf(dataset);
    const held = [await this.store.hold(dataset), await this.store.hold(spans)];
    archive.once('close', () => {
      for (const { release } of held) release();
    });
    const records: RecordsFile[] = [];
    const parts: Part[] = [];
    const efforts = new Map([dataset, spans].map((own) => [own, noEffort()]));
    const redaction = redacted && { redacted, redactor: new Redactor(redacted) };
    for (const [at, own] of [dataset, spans].entries())
      parts.push(
        ...(await this.recordParts(own, held[at]!.segments, window, records, efforts.get(own)!, redaction)),
      );
    const seriesWindow = { from: window.from - past, to: window.to };
    parts.push(
      { file: 'series.jsonl', pieces: () => this.seriesPieces(dataset, seriesWindow) },
      { file: 'changes.jsonl', pieces: () => this.changePieces(dataset, window) },
      { file: 'runs.jsonl', pieces: () => this.runPieces(dataset, window) },
    );
    const rules = await this.rules.export(dataset);
    if (rules.corrections.length + rules.marks.length > 0)
      parts.push({ file: 'rules.json', pieces: () => once(rules) });
    for (const { file, content } of files) parts.push({ file, pieces: () => once(content) });
    const made = new Date().toISOString();
    // It tells of counts, and so comes last.
    const shown = (text: string): string => redaction?.redactor.text(text) ?? text;
    const manifest = (): Manifest => ({
      flail: VERSION,
      name: shown(name),
      made,
      view: shown(view),
      records,
      ...[...efforts].map(([own, effort]) => missingBody(own, effort)).find(({ missing }) => missing),
    });
    parts.push({ file: MANIFEST, pieces: () => once(manifest()) });
    // Records are redacted by the threads that read them, their senders already.
    const whole = new Set([MANIFEST, ...records.map(({ file }) => file)]);
    for (const { file, pieces } of parts)
      zip.addReadStreamLazy(file, { compressionLevel: 6 }, (give) => {
        const own = redaction && !whole.has(file) ? redactedPieces(pieces(), redaction.redactor) : pieces();
        const content = Readable.from(own, { objectMode: false });
        content.once('error', (error) => {
          this.logger.error(error.stack ?? error.message);
          archive.destroy(error);
        });
        give(null, content);
      });
    zip.end();
    return archive;
  }

  /** A part for the records of each source. */
  private async recordParts(
    dataset: Dataset,
    segments: readonly SegmentInfo[],
    window: Window,
    files: RecordsFile[],
    effort: Effort,
    redaction?: { redacted: Map<string, string>; redactor: Redactor },
  ): Promise<Part[]> {
    const touched = segments
      .filter(({ from, to }) => to >= window.from && from < window.to)
      .sort((a, b) => a.from - b.from);
    const present = new Set(touched.flatMap(({ contexts }) => contexts));
    const bySource = new Map<string, Context[]>();
    for (const context of dataset.contexts.values()) {
      if (!present.has(context.id)) continue;
      const own = bySource.get(context.source);
      if (own) own.push(context);
      else bySource.set(context.source, [context]);
    }
    const rows = await SourceModel.findAll({ where: { datasetId: dataset.id } });
    return [...bySource].map(([source, contexts], at) => {
      const row = rows.find(({ name }) => name === source);
      const shown = redaction ? redaction.redactor.text(source) : source;
      const file: RecordsFile = {
        file: `${dataset.signal}/${String(at + 1).padStart(4, '0')}-${shown.replace(/[^\w.-]+/g, '-').slice(0, 60)}.jsonl`,
        signal: dataset.signal,
        source: shown,
        format: (row?.givenFormat ?? row?.format ?? 'plain') as RecordsFile['format'],
        ...(row?.columns && { columns: row.columns }),
        senders: contexts.map(({ attributes }) =>
          redaction ? redactedJson(attributes, redaction.redactor) : attributes,
        ),
        records: 0,
      };
      files.push(file);
      return {
        file: file.file,
        pieces: () => this.recordPieces(touched, contexts, window, file, effort, redaction?.redacted),
      };
    });
  }

  private async *recordPieces(
    segments: readonly SegmentInfo[],
    contexts: readonly Context[],
    window: Window,
    file: RecordsFile,
    effort: Effort,
    redacted: Map<string, string> | undefined,
  ): AsyncGenerator<Uint8Array> {
    const senders = new Map(contexts.map(({ id }, place) => [id, place]));
    for (const { id, contexts: own } of segments) {
      if (!own.some((context) => senders.has(context))) continue;
      const { records, bytes } = await this.pool.carry(
        {
          task: 'carry',
          segment: id,
          window,
          senders,
          ...(redacted && { redacted }),
        },
        effort,
      );
      file.records += records;
      if (records > 0) yield bytes;
    }
  }

  private async *seriesPieces(dataset: Dataset, window: Window): AsyncGenerator<Uint8Array> {
    const all = this.series.of(dataset);
    for (let at = 0; at < all.length; at += SERIES_AT_ONCE) {
      const some = all.slice(at, at + SERIES_AT_ONCE);
      const exemplars = await ExemplarModel.findAll({
        where: { seriesId: some.map(({ id }) => id), atMicros: within(window) },
        order: [['atMicros', 'ASC']],
      });
      const { records, bytes } = await this.pool.carry({
        task: 'carry-series',
        window,
        series: some.map((one) => ({
          id: one.id,
          metric: one.metric,
          unit: one.unit,
          kind: one.kind,
          total: one.total,
          labels: one.labels,
          fresh: this.series.freshOf(one, window.from, window.to),
          exemplars: exemplars
            .filter(({ seriesId }) => seriesId === one.id)
            .map(({ atMicros, value, trace, span }) => ({
              at: atMicros,
              value,
              ...(trace !== null && { trace }),
              ...(span !== null && { span }),
            })),
        })),
      });
      if (records > 0) yield bytes;
    }
  }

  private async *changePieces({ id }: Dataset, window: Window): AsyncGenerator<Uint8Array> {
    const where = { datasetId: id, atMicros: within(window) };
    for (let offset = 0; ; offset += EVENTS_AT_ONCE) {
      const rows = await ChangeModel.findAll({ where, order: ['id'], offset, limit: EVENTS_AT_ONCE });
      if (rows.length === 0) return;
      // An event without a time was given that of its arrival.
      yield lines(rows.map(({ body, atMicros }) => ({ time: momentText(atMicros), ...(body as object) })));
    }
  }

  private async *runPieces({ id }: Dataset, window: Window): AsyncGenerator<Uint8Array> {
    const where = {
      datasetId: id,
      fromMicros: { [Op.lt]: window.to },
      toMicros: { [Op.or]: [{ [Op.gte]: window.from }, { [Op.is]: null }] },
    };
    for (let offset = 0; ; offset += EVENTS_AT_ONCE) {
      const rows = await RunModel.findAll({ where, order: ['id'], offset, limit: EVENTS_AT_ONCE });
      if (rows.length === 0) return;
      yield lines(rows.flatMap(({ events }) => events as object[]));
    }
  }
}

const within = ({ from, to }: Window): { [Op.gte]: number; [Op.lt]: number } => ({
  [Op.gte]: from,
  [Op.lt]: to,
});

const lines = (objects: readonly object[]): Uint8Array =>
  Buffer.from(objects.map((one) => `${JSON.stringify(one)}\n`).join(''));

const once = (content: object | string): Uint8Array[] => [
  Buffer.from(typeof content === 'string' ? content : JSON.stringify(content, undefined, 2)),
];

const redactedJson = <T extends object>(value: T, redactor: Redactor): T =>
  JSON.parse(redactor.text(JSON.stringify(value))) as T;

async function* redactedPieces(
  pieces: ReturnType<Part['pieces']>,
  redactor: Redactor,
): AsyncGenerator<Uint8Array> {
  for await (const piece of pieces) yield Buffer.from(redactor.text(Buffer.from(piece).toString()));
}
