import type { CaseBody, Pin, PinBody } from '@flail/contract';
import { Injectable } from '@nestjs/common';
import { CaseModel, PinModel } from '../database/models.js';
import { notFound } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';

const FIRST_NAME = 'Untitled';

/** Keeps cases, and what is pinned in them. */
@Injectable()
export class CasesService {
  constructor(private readonly store: RecordStore) {}

  /** All cases, the newest first. There is always one, for who has not made any. */
  async list(): Promise<CaseBody[]> {
    if ((await CaseModel.count()) === 0) await this.make(FIRST_NAME);
    const cases = await CaseModel.findAll({ order: [['id', 'DESC']] });
    const pins = await PinModel.findAll({ attributes: ['caseId'] });
    return cases.map((one) => bodyOf(one, pins.filter(({ caseId }) => caseId === one.id).length));
  }

  async make(name: string): Promise<CaseBody> {
    return bodyOf(await this.store.writes.run(() => CaseModel.create({ name, at: new Date() })), 0);
  }

  async rename(id: number, name: string): Promise<CaseBody> {
    const row = await this.rowOf(id);
    await this.store.writes.run(() => row.update({ name }));
    return bodyOf(row, await PinModel.count({ where: { caseId: id } }));
  }

  /** What is pinned in a case, the newest first. */
  async pins(id: number): Promise<Pin[]> {
    await this.rowOf(id);
    const rows = await PinModel.findAll({ where: { caseId: id }, order: [['id', 'DESC']] });
    return rows.map(pinOf);
  }

  async pin(id: number, { kind, title, address, note = '', seen }: PinBody): Promise<Pin> {
    await this.rowOf(id);
    const row = { caseId: id, kind, title, address, note, seen: seen ?? null, at: new Date() };
    return pinOf(await this.store.writes.run(() => PinModel.create(row)));
  }

  async note(id: number, pinId: number, note: string): Promise<Pin> {
    const row = await this.pinRow(id, pinId);
    return pinOf(await this.store.writes.run(() => row.update({ note })));
  }

  async unpin(id: number, pinId: number): Promise<void> {
    const row = await this.pinRow(id, pinId);
    await this.store.writes.run(() => row.destroy());
  }

  private async rowOf(id: number): Promise<CaseModel> {
    const row = await CaseModel.findByPk(id);
    if (!row) throw notFound('no-such-case', `There is no case ${id}.`);
    return row;
  }

  private async pinRow(caseId: number, id: number): Promise<PinModel> {
    const row = await PinModel.findOne({ where: { caseId, id } });
    if (!row) throw notFound('no-such-pin', `There is no pin ${id} in this case.`);
    return row;
  }
}

const bodyOf = ({ id, name, at }: CaseModel, pins: number): CaseBody => ({
  id,
  name,
  at: at.toISOString(),
  pins,
});

const pinOf = ({ id, kind, title, address, note, seen, at }: PinModel): Pin => ({
  id,
  kind: kind as Pin['kind'],
  title,
  address,
  note,
  ...(seen !== null && { seen: seen as Record<string, unknown> }),
  at: at.toISOString(),
});
