import type { ChangeBody, ChangesSearchAnswer, EventsAnswer } from '@flail/contract';
import type { Window } from '@flail/core';
import { Inject, Injectable } from '@nestjs/common';
import { col, fn, Op, where, type WhereOptions } from 'sequelize';
import type { Sequelize } from 'sequelize-typescript';
import type { Asker } from '../access/asker.js';
import { insertRows } from '../database/insert-rows.js';
import { ChangeModel } from '../database/models.js';
import { momentText } from '@flail/core/time';
import { DecodePool } from '../otlp/decode-pool.js';
import { type Dataset, DATABASE, RecordStore } from '../store/record-store.js';

const WRITTEN = ['datasetId', 'source', 'eventId', 'atMicros', 'kind', 'title', 'entity', 'body'] as const;

/** Takes in changes, and tells which there were. */
@Injectable()
export class ChangesService {
  constructor(
    private readonly store: RecordStore,
    private readonly decoders: DecodePool,
    @Inject(DATABASE) private readonly database: Sequelize,
  ) {}

  /** Stores the events of a body; those that are none are left out and told of. An event sent again replaces itself. */
  async take(dataset: Dataset, bytes: Uint8Array): Promise<EventsAnswer> {
    const { events } = await this.decoders.read({ signal: 'changes', arrival: Date.now() * 1000, bytes });
    const { changes, answer } = events!;
    const rows = changes.map((row) => ({ ...row, datasetId: dataset.id }));
    await this.store.writes.run(() =>
      this.database.transaction((transaction) =>
        insertRows(ChangeModel, rows, WRITTEN, transaction, ['datasetId', 'source', 'eventId']),
      ),
    );
    return answer;
  }

  /** The newest changes of a window, in the order of time, and how many there are in all. */
  async search(
    dataset: Dataset,
    asker: Asker,
    window: Window,
    limit: number,
  ): Promise<Omit<ChangesSearchAnswer, 'actions'>> {
    const seen: WhereOptions = {
      datasetId: dataset.id,
      atMicros: { [Op.gte]: window.from, [Op.lt]: window.to },
      ...(asker.services !== 'all' && { [Op.and]: [inServices(asker.services)] }),
    };
    const total = await ChangeModel.count({ where: seen });
    const rows = await ChangeModel.findAll({
      where: seen,
      order: [
        ['atMicros', 'DESC'],
        ['id', 'DESC'],
      ],
      limit,
    });
    return { changes: rows.reverse().map(bodyOf), total };
  }
}

/** Changes of what some services have. */
const inServices = (services: readonly string[]): WhereOptions =>
  where(fn('coalesce', fn('json_extract', col('entity'), '$.service'), ''), { [Op.in]: [...services] });

const bodyOf = ({ source, eventId, atMicros, kind, title, entity, body }: ChangeModel): ChangeBody => {
  const { data } = body as { data?: unknown };
  return { id: eventId, source, time: momentText(atMicros), kind, title, entity, details: data ?? null };
};
