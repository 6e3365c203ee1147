import { type Correction, Grouping, type Worked } from '@flail/core';
import {
  type BeforeApplicationShutdown,
  Injectable,
  Logger,
  type OnApplicationBootstrap,
} from '@nestjs/common';
import { OnEvent } from '@nestjs/event-emitter';
import { BackgroundPool } from '../background/background-pool.js';
import { RECORDS_STORED } from '../intake/log-intake.service.js';
import { type Dataset, RecordStore } from '../store/record-store.js';
import { RulesService } from './rules.service.js';

/** A grouping that was worked out faster than this is waited for when it is out of date. */
const WORTH_WAITING_MS = 400;
/** While records come in, it is looked this often whether the grouping has to be worked out anew. */
const LOOKED_AFTER_MS = 5000;
const NOTHING: Worked = { size: 0, joins: [], coarse: [] };

interface State {
  worked: Worked;
  /** Records that the grouping was worked out from. */
  records: number;
  lastMs: number;
  running?: Promise<void>;
  /** The grouping built last, and what from. */
  built?: { worked: Worked; layouts: number; corrections: readonly Correction[]; grouping: Grouping };
}

/** Keeps the grouping of each data set's layouts up to date, off the main thread. */
@Injectable()
export class GroupingService implements OnApplicationBootstrap, BeforeApplicationShutdown {
  private readonly logger = new Logger('Grouping');
  private readonly states = new Map<number, State>();
  private readonly timers = new Map<number, NodeJS.Timeout>();

  constructor(
    private readonly background: BackgroundPool,
    private readonly rules: RulesService,
    private readonly store: RecordStore,
  ) {}

  /** The first question after a start should not wait for the grouping. */
  onApplicationBootstrap(): void {
    for (const dataset of this.store.all()) {
      // Whoever asks next will meet the same fault, and be told.
      if (dataset.layouts.length > 0) void this.current(dataset).catch(() => undefined);
    }
  }

  /** Nor should the first question after much has come in. */
  @OnEvent(RECORDS_STORED)
  recordsStored(dataset: Dataset): void {
    if (this.timers.has(dataset.id)) return;
    const timer = setTimeout(() => {
      this.timers.delete(dataset.id);
      const state = this.stateOf(dataset);
      if (state.worked.size === 0 || hasGrown(dataset, state))
        void this.current(dataset).catch(() => undefined);
    }, LOOKED_AFTER_MS);
    this.timers.set(dataset.id, timer);
  }

  beforeApplicationShutdown(): void {
    for (const timer of this.timers.values()) clearTimeout(timer);
  }

  /** The grouping of all layouts met so far; where working it out takes long, the one before, with new layouts standing alone. */
  async current(dataset: Dataset): Promise<Grouping> {
    const state = this.stateOf(dataset);
    if (state.worked.size < dataset.layouts.length || hasGrown(dataset, state)) {
      state.running ??= this.workOut(dataset, state).finally(() => delete state.running);
      if (state.worked.size === 0 || state.lastMs < WORTH_WAITING_MS) await state.running;
    }
    return this.grouping(dataset, state, await this.rules.corrections(dataset));
  }

  /** The grouping as it would be with other corrections. */
  async withCorrections(dataset: Dataset, corrections: readonly Correction[]): Promise<Grouping> {
    await this.current(dataset);
    return this.build(dataset, this.states.get(dataset.id)!, corrections);
  }

  private stateOf({ id }: Dataset): State {
    let state = this.states.get(id);
    if (!state) this.states.set(id, (state = { worked: NOTHING, records: 0, lastMs: 0 }));
    return state;
  }

  private async workOut(dataset: Dataset, state: State): Promise<void> {
    const began = performance.now();
    const size = dataset.layouts.length;
    const total = recordsIn(dataset);
    try {
      state.worked = await this.background.run<'group'>({
        task: 'group',
        dataset: dataset.id,
        size,
        records: dataset.layoutRecords.slice(0, size),
      });
      state.records = total;
      state.lastMs = performance.now() - began;
    } catch (error) {
      // The patterns stay as they were; the next question tries again.
      this.logger.error(error instanceof Error ? (error.stack ?? error.message) : String(error));
      if (state.worked === NOTHING) throw error;
    }
  }

  private grouping(dataset: Dataset, state: State, corrections: readonly Correction[]): Grouping {
    const { built, worked } = state;
    if (
      built?.worked === worked &&
      built.layouts === dataset.layouts.length &&
      built.corrections === corrections
    ) {
      return built.grouping;
    }
    const grouping = this.build(dataset, state, corrections);
    state.built = { worked, layouts: dataset.layouts.length, corrections, grouping };
    return grouping;
  }

  private build(dataset: Dataset, state: State, corrections: readonly Correction[]): Grouping {
    return new Grouping(
      [...dataset.layouts],
      state.worked,
      dataset.identities,
      corrections,
      dataset.layoutRecords,
    );
  }
}

const recordsIn = ({ layoutRecords }: Dataset): number =>
  layoutRecords.reduce((sum, count) => sum + count, 0);

/** Free text shows by how often a form comes back, so more records may change what is believed. */
const hasGrown = (dataset: Dataset, { records }: State): boolean => recordsIn(dataset) > records * 2;
