import type {
  CaseAnswer,
  CaseBody,
  CaseChange,
  CaseContents,
  Pin,
  PinBody,
  SimilarCaseBody,
} from '@flail/contract';
import { type Remembered, similarCases } from '@flail/core/cases';
import { Injectable } from '@nestjs/common';
import { CaseModel, PinModel } from '../database/models.js';
import { notFound } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';

const FIRST_NAME = 'Untitled';
const SIMILAR = 5;

const EMPTY: CaseContents = {
  status: 'open',
  owner: '',
  notes: '',
  dataset: 'live',
  scope: '',
  job: '',
  findings: [],
  hypotheses: [],
  timeline: [],
  remedies: [],
};

/** Keeps cases: what is pinned in them, what was found, and what was done. */
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
    return bodyOf(
      await this.store.writes.run(() => CaseModel.create({ name, at: new Date(), contents: EMPTY })),
      0,
    );
  }

  /** A case in full, with past ones that are like it. */
  async inFull(id: number): Promise<CaseAnswer> {
    const row = await this.rowOf(id);
    const pins = await this.pins(id);
    return {
      ...bodyOf(row, pins.length),
      contents: contentsOf(row),
      similar: await this.similar(row, pins),
    };
  }

  async change(id: number, { name, contents }: CaseChange): Promise<CaseAnswer> {
    const row = await this.rowOf(id);
    await this.store.writes.run(() =>
      row.update({
        ...(name !== undefined && { name }),
        ...(contents && { contents: { ...contentsOf(row), ...contents } }),
      }),
    );
    return this.inFull(id);
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

  /** Cases that were closed and are like one, with what helped then. */
  private async similar(own: CaseModel, pins: readonly Pin[]): Promise<SimilarCaseBody[]> {
    const closed = (await CaseModel.findAll()).filter(
      (one) => one.id !== own.id && contentsOf(one).status === 'closed',
    );
    if (closed.length === 0) return [];
    const others = await PinModel.findAll({ where: { caseId: closed.map(({ id }) => id) } });
    const byId = new Map(closed.map((one) => [one.id, one]));
    const past = closed.map((one) =>
      rememberedOf(one, others.filter(({ caseId }) => caseId === one.id).map(pinOf)),
    );
    return similarCases(rememberedOf(own, pins), past)
      .slice(0, SIMILAR)
      .map(({ id, likeness, shared }) => {
        const row = byId.get(id)!;
        const { status, remedies } = contentsOf(row);
        return {
          id,
          name: row.name,
          status,
          likeness,
          shared,
          helped: remedies.filter(({ helped }) => helped).map(({ text }) => text),
        };
      });
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

const contentsOf = ({ contents }: CaseModel): CaseContents => ({
  ...EMPTY,
  ...(contents as Partial<CaseContents> | null),
});

/** What tells a case from others: what its signatures ask, and which services, changes and lines were found. */
function rememberedOf(row: CaseModel, pins: readonly Pin[]): Remembered {
  const { findings } = contentsOf(row);
  const terms = [
    ...findings.filter(({ kind }) => kind === 'signature').flatMap(({ told }) => termsIn(told)),
    ...pins.filter(({ kind }) => kind === 'signature').map(({ title }) => title),
  ];
  const words = findings
    .filter(({ kind }) => kind !== 'nothing' && kind !== 'impact')
    .flatMap(({ kind, told }) =>
      ['service', 'measure', 'title', 'text', 'operation']
        .map((name) => told[name])
        .filter((value) => typeof value === 'string')
        .map((value) => `${kind === 'change' ? 'change ' : ''}${value}`),
    );
  return { id: row.id, terms: [...new Set(terms)], words: [...new Set(words)] };
}

function termsIn({ terms }: Record<string, unknown>): string[] {
  if (!Array.isArray(terms)) return [];
  return terms.map((term) => {
    const { kind, name, values } = term as { kind?: string; name?: string; values?: string[] };
    return [kind, name, ...(values ?? [])].join(' ');
  });
}

function bodyOf(row: CaseModel, pins: number): CaseBody {
  const { status, owner } = contentsOf(row);
  return { id: row.id, name: row.name, at: row.at.toISOString(), pins, status, owner };
}

const pinOf = ({ id, kind, title, address, note, seen, at }: PinModel): Pin => ({
  id,
  kind: kind as Pin['kind'],
  title,
  address,
  note,
  ...(seen !== null && { seen: seen as Record<string, unknown> }),
  at: at.toISOString(),
});
