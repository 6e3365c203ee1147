import { Injectable } from '@nestjs/common';
import type { Asker } from '../access/asker.js';
import { SavedModel } from '../database/models.js';
import { notFound } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';

type Kind = SavedModel['kind'];
type Kept = Pick<SavedModel, 'name' | 'kept' | 'shared'>;

/** What people keep under a name, for themselves or for all. */
@Injectable()
export class SavedService {
  constructor(private readonly store: RecordStore) {}

  /** Own ones and shared ones, by name. */
  async list(kind: Kind, asker: Asker): Promise<SavedModel[]> {
    const rows = await SavedModel.findAll({ where: { kind }, order: ['name'] });
    return rows.filter(({ owner, shared }) => shared || owner === asker.name);
  }

  keep(kind: Kind, kept: Kept, asker: Asker): Promise<SavedModel> {
    const row = { kind, ...kept, owner: asker.name, at: new Date() };
    return this.store.writes.run(() => SavedModel.create(row));
  }

  async change(kind: Kind, id: number, kept: Kept, asker: Asker): Promise<SavedModel> {
    const row = await this.own(kind, id, asker);
    return this.store.writes.run(() => row.update(kept));
  }

  async forget(kind: Kind, id: number, asker: Asker): Promise<void> {
    const row = await this.own(kind, id, asker);
    await this.store.writes.run(() => row.destroy());
  }

  private async own(kind: Kind, id: number, asker: Asker): Promise<SavedModel> {
    const row = await SavedModel.findByPk(id);
    if (row?.owner !== asker.name || row.kind !== kind)
      throw notFound(`no-such-${kind}`, `You keep no ${kind} ${id}.`);
    return row;
  }
}
