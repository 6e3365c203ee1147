import type { Objective, ObjectiveBody } from '@flail/contract';
import { Injectable } from '@nestjs/common';
import { ObjectiveModel } from '../database/models.js';
import { notFound } from '../problems/problem.js';
import { type Dataset, RecordStore } from '../store/record-store.js';

/** What holds where nobody has promised anything else: below it, sound retries absorb what fails. */
const USUAL: Objective = { id: 0, name: 'all requests', target: 0.99, days: 30 };

/** What is promised of requests. */
@Injectable()
export class ObjectivesService {
  constructor(private readonly store: RecordStore) {}

  /** Those that were set; the usual one where there are none. */
  async of(dataset: Dataset): Promise<Objective[]> {
    const rows = await ObjectiveModel.findAll({ where: { datasetId: dataset.id }, order: ['id'] });
    return rows.length === 0 ? [USUAL] : rows.map(bodyOf);
  }

  async make(dataset: Dataset, body: ObjectiveBody): Promise<Objective> {
    return bodyOf(
      await this.store.writes.run(() => ObjectiveModel.create({ ...rowOf(body), datasetId: dataset.id })),
    );
  }

  async change(dataset: Dataset, id: number, body: ObjectiveBody): Promise<Objective> {
    const row = await this.row(dataset, id);
    return bodyOf(await this.store.writes.run(() => row.update(rowOf(body))));
  }

  async remove(dataset: Dataset, id: number): Promise<void> {
    const row = await this.row(dataset, id);
    await this.store.writes.run(() => row.destroy());
  }

  private async row(dataset: Dataset, id: number): Promise<ObjectiveModel> {
    const row = await ObjectiveModel.findOne({ where: { datasetId: dataset.id, id } });
    if (!row) throw notFound('no-such-objective', `There is no objective ${id} in this data set.`);
    return row;
  }
}

const rowOf = ({ name, service, operation, target, days }: ObjectiveBody) => ({
  name,
  service: service ?? null,
  operation: operation ?? null,
  target,
  days,
});

const bodyOf = ({ id, name, service, operation, target, days }: ObjectiveModel): Objective => ({
  id,
  name,
  ...(service !== null && { service }),
  ...(operation !== null && { operation }),
  target,
  days,
});
