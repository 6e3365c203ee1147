import type { ChangeBody, ChangesSearchAnswer, EventsAnswer } from '@flail/contract';
import type { Window } from '@flail/core';
import { type Change, changeOf, NoChangeError } from '@flail/core/changes';
import { Injectable } from '@nestjs/common';
import { Op } from 'sequelize';
import type { Asker } from '../access/asker.js';
import { ChangeModel } from '../database/models.js';
import { momentText } from '@flail/core/time';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { readEvents } from './read-events.js';

/** Takes in changes, and tells which there were. */
@Injectable()
export class ChangesService {
  constructor(private readonly store: RecordStore) {}

  /** Stores events; those that are none are left out and told of. An event sent again replaces itself. */
  async take(dataset: Dataset, events: readonly unknown[]): Promise<EventsAnswer> {
    const arrival = Date.now() * 1000;
    const { read, answer } = readEvents<Change>(events, (event) => changeOf(event, arrival), NoChangeError);
    if (read.length > 0) {
      await this.store.writes.run(() =>
        ChangeModel.bulkCreate(
          read.map(({ id, at, ...rest }) => ({ ...rest, eventId: id, atMicros: at, datasetId: dataset.id })),
          {
            updateOnDuplicate: ['atMicros', 'kind', 'title', 'entity', 'body'],
            conflictAttributes: ['datasetId', 'source', 'eventId'],
          },
        ),
      );
    }
    return answer;
  }

  /** Changes of a window in the order of time. */
  async search(
    dataset: Dataset,
    asker: Asker,
    window: Window,
    limit: number,
  ): Promise<Omit<ChangesSearchAnswer, 'actions'>> {
    const rows = await ChangeModel.findAll({
      where: { datasetId: dataset.id, atMicros: { [Op.gte]: window.from, [Op.lt]: window.to } },
      order: [['atMicros', 'ASC']],
    });
    const seen = rows.filter(
      ({ entity }) => asker.services === 'all' || asker.services.includes(entity.service ?? ''),
    );
    return { changes: seen.slice(-limit).map(bodyOf), total: seen.length };
  }
}

const bodyOf = ({ source, eventId, atMicros, kind, title, entity, body }: ChangeModel): ChangeBody => {
  const { data } = body as { data?: unknown };
  return { id: eventId, source, time: momentText(atMicros), kind, title, entity, details: data ?? null };
};
