import type { BatchResult, CsvColumns, Head } from '@flail/core';
import { Inject, Injectable } from '@nestjs/common';
import type { Sequelize } from 'sequelize-typescript';
import { dateText, insertRows } from '../database/insert-rows.js';
import { SourceModel } from '../database/models.js';
import { type Dataset, DATABASE, RecordStore } from '../store/record-store.js';
import { BundledWrites } from '../store/write-queue.js';

/** What a batch told of its source. */
type SourceResult = Pick<
  BatchResult,
  'accepted' | 'malformed' | 'problems' | 'span' | 'columns' | 'heads'
> & {
  /** Left out where nothing was read. */
  format?: string;
};

interface Note {
  dataset: Dataset;
  name: string;
  result: SourceResult;
  bytes: number;
  at: Date;
}

/** Something that befell a source, beside its lines. */
export interface SourceTrouble {
  code: string;
  message: string;
  count: number;
  sample?: string;
}

type SourceRow = Pick<
  SourceModel,
  | 'datasetId'
  | 'name'
  | 'format'
  | 'records'
  | 'malformed'
  | 'bytes'
  | 'lastSeen'
  | 'fromMicros'
  | 'toMicros'
  | 'ahead'
  | 'problems'
  | 'columns'
  | 'heads'
>;

const WRITTEN = [
  'datasetId',
  'name',
  'format',
  'records',
  'malformed',
  'bytes',
  'lastSeen',
  'fromMicros',
  'toMicros',
  'ahead',
  'problems',
  'columns',
  'heads',
] as const satisfies readonly (keyof SourceRow)[];

/** Names that are asked for with one statement. */
const NAMES_AT_ONCE = 500;

/** Keeps what is known of each source: how much came, in which format, and what was wrong with it. */
@Injectable()
export class SourceNotes {
  private readonly notes: BundledWrites<Note>;

  constructor(
    store: RecordStore,
    @Inject(DATABASE) private readonly database: Sequelize,
  ) {
    this.notes = new BundledWrites(store.writes, (notes) => this.write(notes));
  }

  /** Notes what a batch brought; resolves once that is stored. */
  batch(dataset: Dataset, name: string, result: SourceResult, bytes: number): Promise<void> {
    return this.notes.add({ dataset, name, result, bytes, at: new Date() });
  }

  /** Notes something that is wrong with a source, also where nothing of it could be stored. */
  trouble(
    dataset: Dataset,
    name: string,
    { code, message, count, sample = '' }: SourceTrouble,
  ): Promise<void> {
    const problem = {
      code: code as BatchResult['problems'][number]['code'],
      message,
      count,
      firstLine: 0,
      sample,
    };
    return this.batch(dataset, name, { accepted: 0, malformed: 0, problems: [problem] }, 0);
  }

  private async write(notes: readonly Note[]): Promise<void[]> {
    const byDataset = new Map<number, Note[]>();
    for (const note of notes) {
      const own = byDataset.get(note.dataset.id);
      if (own) own.push(note);
      else byDataset.set(note.dataset.id, [note]);
    }
    await this.database.transaction(async (transaction) => {
      for (const [datasetId, own] of byDataset) {
        const rows = new Map<string, SourceRow>();
        const names = [...new Set(own.map(({ name }) => name))];
        for (let at = 0; at < names.length; at += NAMES_AT_ONCE) {
          const where = { datasetId, name: names.slice(at, at + NAMES_AT_ONCE) };
          for (const row of await SourceModel.findAll({ where, transaction, attributes: [...WRITTEN] }))
            rows.set(row.name, row);
        }
        for (const note of own) rows.set(note.name, noted(rows.get(note.name), note));
        const written = [...rows.values()].map(({ lastSeen, problems, columns, heads, ...row }) => ({
          ...row,
          lastSeen: dateText(lastSeen),
          problems: problems && JSON.stringify(problems),
          columns: columns && JSON.stringify(columns),
          heads: heads && JSON.stringify(heads),
        }));
        await insertRows(SourceModel, written, WRITTEN, transaction, ['datasetId', 'name']);
      }
    });
    return notes.map(() => undefined);
  }
}

/** A row with what a batch brought. */
function noted(row: SourceRow | undefined, { dataset, name, result, bytes, at }: Note): SourceRow {
  const { accepted, malformed, format, span, columns, heads, problems } = result;
  return {
    datasetId: dataset.id,
    name,
    format: (accepted > 0 ? format : undefined) ?? row?.format ?? format ?? 'plain',
    records: (row?.records ?? 0) + accepted,
    malformed: (row?.malformed ?? 0) + malformed,
    bytes: (row?.bytes ?? 0) + bytes,
    lastSeen: at,
    problems: together(row?.problems ?? [], problems),
    columns: columns ?? row?.columns ?? (null as CsvColumns | null),
    heads: heads ?? row?.heads ?? (null as readonly Head[] | null),
    fromMicros: span ? Math.min(row?.fromMicros ?? Infinity, span.from) : (row?.fromMicros ?? null),
    toMicros: span ? Math.max(row?.toMicros ?? -Infinity, span.to) : (row?.toMicros ?? null),
    ahead: span ? span.to / 1e6 - at.getTime() / 1000 : (row?.ahead ?? null),
  };
}

/** Problems of a source, those of one kind counted together. */
function together(
  known: NonNullable<SourceModel['problems']>,
  more: SourceResult['problems'],
): SourceModel['problems'] {
  const all = new Map(known.map((problem) => [problem.code, problem]));
  for (const { code, message, count, sample } of more)
    all.set(code, { code, message, sample, count: count + (all.get(code)?.count ?? 0) });
  return all.size === 0 ? null : [...all.values()];
}
