import type { EventsAnswer, OpenedBundle, OpenedFile } from '@flail/contract';
import { plainToInstance } from 'class-transformer';
import { validate } from 'class-validator';
import { Inject, Injectable, type OnModuleInit } from '@nestjs/common';
import { createWriteStream } from 'node:fs';
import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { randomUUID } from 'node:crypto';
import { CONFIG, type Config } from '../config/config.js';
import { CaseTransfer } from '../cases/case-transfer.js';
import { ChangesService } from '../events/changes.service.js';
import { RunsService } from '../runs/runs.service.js';
import { RulesBundleDto } from '../grouping/rules.dto.js';
import { RulesTransfer } from '../grouping/rules-transfer.js';
import { LogIntakeService } from '../intake/log-intake.service.js';
import { OtlpService } from '../otlp/otlp.service.js';
import { badRequest, Problem } from '../problems/problem.js';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { Archive } from './archive.js';
import { type FileKind, kindOfJson } from './file-kind.js';
import { CASE, type Manifest, MANIFEST, manifestOf, type RecordsFile } from './manifest.js';

/** JSON files that are read as a whole, and lines of others, may be as large as this. */
const MAX_JSON = 64 * 1024 ** 2;
const EVENTS_AT_ONCE = 500;
/** Bytes of carried series that are read at once. */
const SERIES_BYTES = 2 * 1024 ** 2;
const PROBLEMS_SHOWN = 5;
/** What a bundle holds for people to read. */
const REPORTS = ['report.html', 'report.md'];

/** What came of a file. */
type Taken = Pick<OpenedFile, 'accepted' | 'malformed' | 'problems'>;

/** Opens a bundle as a data set of its own. */
@Injectable()
export class BundleOpener implements OnModuleInit {
  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly store: RecordStore,
    private readonly lines: LogIntakeService,
    private readonly otlp: OtlpService,
    private readonly changes: ChangesService,
    private readonly runs: RunsService,
    private readonly rules: RulesTransfer,
    private readonly cases: CaseTransfer,
  ) {}

  /** What was being opened when the process ended is of no use any more. */
  async onModuleInit(): Promise<void> {
    await rm(this.incoming, { recursive: true, force: true });
  }

  private get incoming(): string {
    return join(this.config.data, 'incoming');
  }

  /**
   * Opens a zip archive: one that was written here, with a manifest, or any other of log files, CSV, OTLP,
   * CloudEvents and run events in JSON. Either all of it is opened, or nothing is left of it.
   */
  async open(body: Readable, name: string | undefined): Promise<OpenedBundle> {
    const folder = this.incoming;
    const path = join(folder, `${randomUUID()}.zip`);
    await mkdir(folder, { recursive: true });
    let archive: Archive | undefined;
    let dataset: Dataset | undefined;
    try {
      await pipeline(body, createWriteStream(path));
      archive = await Archive.open(path);
      const manifest = archive.has(MANIFEST)
        ? await manifestOf(await archive.text(MANIFEST, MAX_JSON))
        : undefined;
      dataset = await this.store.make(name ?? manifest?.name ?? 'Bundle', manifest?.view);
      const files = await this.takeAll(archive, dataset, manifest);
      if (files.every(({ accepted }) => accepted === 0)) throw badRequest('empty-bundle', emptyWords(files));
      const carried =
        manifest && archive.has(CASE)
          ? await this.cases.take(await archive.text(CASE, MAX_JSON), dataset)
          : undefined;
      await this.store.settle(dataset, { ready: true });
      return {
        dataset: dataset.key,
        name: dataset.name,
        view: dataset.view,
        files,
        ...(carried && { case: carried }),
      };
    } catch (error) {
      if (dataset) await this.store.forget(dataset);
      throw problemOf(error);
    } finally {
      archive?.close();
      await rm(path, { force: true });
    }
  }

  private async takeAll(
    archive: Archive,
    dataset: Dataset,
    manifest: Manifest | undefined,
  ): Promise<OpenedFile[]> {
    const told = new Map(manifest?.records.map((records) => [records.file, records]));
    for (const file of told.keys())
      if (!archive.has(file)) throw badRequest('manifest', `${MANIFEST} names ${file}, which is not there.`);
    const opened: OpenedFile[] = [];
    // Rules speak of patterns, which come with the records.
    const own = manifest ? [MANIFEST, CASE, ...REPORTS] : [MANIFEST];
    const files = archive.files.filter((file) => !own.includes(file));
    files.sort((a, b) => Number(isRules(a)) - Number(isRules(b)));
    for (const file of files) {
      const records = told.get(file);
      if (records)
        opened.push({ file, kind: records.signal, ...(await this.takeCarried(archive, dataset, records)) });
      else {
        const kind = await this.kindOf(archive, file);
        opened.push({ file, kind, ...(await this.take(archive, dataset, file, kind)) });
      }
    }
    return opened;
  }

  private async kindOf(archive: Archive, file: string): Promise<FileKind> {
    if (isRules(file)) return 'rules';
    if (/\.(?:prom|openmetrics)$/i.test(file)) return 'openmetrics';
    if (/\.json$/i.test(file) && archive.size(file) <= MAX_JSON)
      return kindOfJson(await archive.text(file, MAX_JSON));
    if (/\.(?:jsonl|ndjson)$/i.test(file))
      for await (const line of linesOf(await archive.stream(file))) return kindOfJson(line);
    return 'lines';
  }

  private async take(archive: Archive, dataset: Dataset, file: string, kind: FileKind): Promise<Taken> {
    switch (kind) {
      case 'lines':
        return this.takeLines(dataset, {
          source: file.split('/').at(-1)!.replace(/\.gz$/, ''),
          attributes: {},
          format: 'auto',
          body: await archive.stream(file),
        });
      case 'otlp logs':
      case 'otlp traces':
      case 'otlp metrics': {
        const signal = kind.slice('otlp '.length) as 'logs' | 'traces' | 'metrics';
        return this.eachText(archive, file, async (text) => {
          const task = { signal, type: 'json', bytes: Buffer.from(text) } as const;
          return takenOf(await this.otlp.take(dataset, task));
        });
      }
      case 'openmetrics': {
        const bytes = Buffer.from(await archive.text(file, MAX_JSON));
        const task = { signal: 'openmetrics', labels: {}, arrival: Date.now() * 1000, bytes } as const;
        return takenOf(await this.otlp.take(dataset, task));
      }
      case 'changes':
        return this.eachEvents(archive, file, (bytes) => this.changes.take(dataset, bytes));
      case 'runs':
        return this.eachEvents(archive, file, (bytes) => this.runs.take(dataset, bytes));
      case 'series':
        return this.takeSeries(archive, dataset, file);
      case 'rules':
        return this.takeRules(archive, dataset, file);
    }
  }

  private async takeCarried(archive: Archive, dataset: Dataset, records: RecordsFile): Promise<Taken> {
    const { signal, source, format, columns, senders, file } = records;
    const of = signal === 'spans' ? await this.store.spansOf(dataset) : dataset;
    const taken = await this.takeLines(of, {
      source,
      attributes: senders[0] ?? {},
      format,
      ...(columns && { columns }),
      senders,
      body: await archive.stream(file),
    });
    if (taken.accepted === records.records) return taken;
    const problem = `The manifest tells of ${records.records} records, ${taken.accepted} were found.`;
    return { ...taken, problems: [...taken.problems, problem] };
  }

  private async takeLines(
    dataset: Dataset,
    batch: Omit<Parameters<LogIntakeService['take']>[0], 'dataset'>,
  ): Promise<Taken> {
    const { accepted, malformed, problems } = await this.lines.take({ dataset, ...batch });
    return { accepted, malformed, problems: problems.map(({ message, count }) => `${count}: ${message}`) };
  }

  /** A JSON document, or one on each line. */
  private async eachText(
    archive: Archive,
    file: string,
    take: (text: string) => Promise<Taken>,
  ): Promise<Taken> {
    if (/\.json$/i.test(file)) return take(await archive.text(file, MAX_JSON));
    let sum = NOTHING;
    for await (const line of linesOf(await archive.stream(file))) sum = added(sum, await take(line));
    return sum;
  }

  private async eachEvents(
    archive: Archive,
    file: string,
    take: (bytes: Uint8Array) => Promise<EventsAnswer>,
  ): Promise<Taken> {
    let sum = NOTHING;
    const some = async (bytes: Uint8Array): Promise<void> => {
      try {
        const { accepted, malformed, problems } = await take(bytes);
        sum = added(sum, { accepted, malformed, problems: problems.map(({ message }) => message) });
      } catch (error) {
        if (!(error instanceof Problem) || error.status !== 400) throw error;
        sum = added(sum, { accepted: 0, malformed: 1, problems: [error.message] });
      }
    };
    if (/\.json$/i.test(file)) {
      await some(Buffer.from(await archive.text(file, MAX_JSON)));
      return sum;
    }
    let lines: string[] = [];
    for await (const line of linesOf(await archive.stream(file))) {
      lines.push(line);
      if (lines.length < EVENTS_AT_ONCE) continue;
      await some(Buffer.from(lines.join('\n')));
      lines = [];
    }
    if (lines.length > 0) await some(Buffer.from(lines.join('\n')));
    return sum;
  }

  private async takeSeries(archive: Archive, dataset: Dataset, file: string): Promise<Taken> {
    let sum = NOTHING;
    let held: string[] = [];
    let bytes = 0;
    const some = async (): Promise<void> => {
      const task = { signal: 'series', bytes: Buffer.from(held.join('\n')) } as const;
      sum = added(sum, takenOf(await this.otlp.take(dataset, task)));
      held = [];
      bytes = 0;
    };
    for await (const line of linesOf(await archive.stream(file))) {
      held.push(line);
      bytes += line.length;
      if (bytes >= SERIES_BYTES) await some();
    }
    if (held.length > 0) await some();
    return sum;
  }

  private async takeRules(archive: Archive, dataset: Dataset, file: string): Promise<Taken> {
    const rules = plainToInstance(RulesBundleDto, jsonOr(await archive.text(file, MAX_JSON)) ?? {});
    const faults = await validate(rules);
    if (faults.length > 0)
      return { accepted: 0, malformed: 1, problems: ['These are no corrections and marks.'] };
    const { corrections, marks } = await this.rules.import(dataset, rules);
    return { accepted: corrections + marks, malformed: 0, problems: [] };
  }
}

const NOTHING: Taken = { accepted: 0, malformed: 0, problems: [] };

const added = (sum: Taken, more: Taken): Taken => ({
  accepted: sum.accepted + more.accepted,
  malformed: sum.malformed + more.malformed,
  problems: [...sum.problems, ...more.problems].slice(0, PROBLEMS_SHOWN),
});

const takenOf = ({
  accepted,
  rejected,
  reason,
}: {
  accepted: number;
  rejected: number;
  reason: string;
}): Taken => ({
  accepted,
  malformed: rejected,
  problems: reason === '' ? [] : [reason],
});

const isRules = (file: string): boolean => file === 'rules.json';

/** The lines of a stream that are not empty. */
async function* linesOf(stream: Readable): AsyncGenerator<string> {
  let rest = '';
  for await (const chunk of stream.setEncoding('utf8')) {
    rest += chunk as string;
    if (rest.length > MAX_JSON) throw badRequest('too-large', 'A line of JSON is longer than 64 MB.');
    const lines = rest.split('\n');
    rest = lines.pop()!;
    for (const line of lines) if (line.trim() !== '') yield line;
  }
  if (rest.trim() !== '') yield rest;
}

/** The value of a text in JSON; undefined where it is none. */
function jsonOr(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return undefined;
  }
}

function emptyWords(files: readonly OpenedFile[]): string {
  if (files.length === 0) return 'There is no file in it.';
  const [first] = files.flatMap(({ file, problems }) => problems.map((problem) => `${file}: ${problem}`));
  return `Nothing in it could be read${first === undefined ? '' : ` (${first})`}.`;
}

function problemOf(error: unknown): unknown {
  if (error instanceof Problem) return error;
  const code = error instanceof Error && 'code' in error ? String(error.code) : '';
  if (code === 'ERR_STREAM_PREMATURE_CLOSE' || code === 'ECONNRESET')
    return badRequest('cut-off', 'The connection ended in the middle; nothing of the bundle was kept.');
  if (code === 'ENOSPC')
    return new Problem(
      507,
      'disk-full',
      'The disk is full',
      'There is no room for this bundle; nothing of it was kept.',
    );
  return error;
}
