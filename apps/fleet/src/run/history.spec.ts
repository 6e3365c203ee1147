import { jest } from '@jest/globals';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Fleet } from '../fleet.js';
import type { Sender } from '../sending/sender.js';
import { DAY, HOUR, MINUTE } from '../world/clock.js';
import { INSTANCES } from '../world/company.js';
import { say } from '../world/line.js';
import { type Measurement, noSignals, type Signals } from '../world/signals.js';
import { History } from './history.js';
import { type State, StateFile } from './state.js';

const anchor = Date.UTC(2026, 2, 9);
const start = anchor - 3 * DAY;
const ledger = INSTANCES.get('ledger-db')![0]!;

/** A fleet that says one line a minute. */
const fleet = {
  minute: (at: number): Signals => ({ ...noSignals(), lines: [say(ledger, at, 'INFO', 'checkpoint')] }),
  *weeksBefore(): Generator<Measurement[]> {
    yield [{ metric: 'quotes', unit: '', at: start - DAY, value: 1 }];
  },
} as unknown as Fleet;

/** A sender that writes down what it is given, and fails at one of its turns. */
class Intake {
  readonly got: { name: string; minutes: number[]; points: number }[] = [];
  private lines: number[] = [];
  private points = 0;

  constructor(private readonly failsAt = Infinity) {}

  get waiting() {
    return { lines: this.lines.length, spans: 0, points: this.points };
  }

  gather({ lines = [], measurements = [] }: Partial<Signals>): void {
    this.lines.push(...lines.map(({ at }) => at));
    this.points += measurements.length;
  }

  flush(name: string): Promise<void> {
    if (this.got.length === this.failsAt) return Promise.reject(new Error('away'));
    this.got.push({ name, minutes: this.lines, points: this.points });
    [this.lines, this.points] = [[], 0];
    return Promise.resolve();
  }
}

describe('the history', () => {
  let folder: string;
  let file: StateFile;

  beforeEach(() => {
    folder = mkdtempSync(join(tmpdir(), 'flail-history-'));
    file = new StateFile(folder);
    jest.spyOn(console, 'log').mockImplementation(() => undefined);
  });

  afterEach(() => {
    rmSync(folder, { recursive: true });
    jest.restoreAllMocks();
  });

  const fresh: State = { seed: 's', anchor, scale: 1, episodes: {}, sent: [], until: 0 };
  const run = (intake: Intake, state: State, to = anchor): Promise<State> =>
    new History(() => fleet, intake as unknown as Sender, file, state).send({ from: start, to });

  it('is sent the last hours first, then the two days, the weeks before, and the other days', async () => {
    const intake = new Intake();
    const state = await run(intake, fresh);
    const firsts = intake.got.map(({ minutes, points }) => (points > 0 ? 'weeks' : minutes[0]));
    expect(firsts).toEqual([
      anchor - HOUR,
      anchor - 3 * HOUR,
      anchor - DAY,
      anchor - 2 * DAY,
      'weeks',
      start,
    ]);
    const minutes = intake.got.flatMap((part) => part.minutes);
    expect(new Set(minutes).size).toBe((3 * DAY) / MINUTE);
    expect(minutes).toHaveLength((3 * DAY) / MINUTE);
    expect(new Set(intake.got.map(({ name }) => name)).size).toBe(6);
    expect(state).toMatchObject({ sent: [{ from: start, to: anchor }], until: anchor, complete: true });
    expect(file.read()).toEqual(state);
  });

  it('goes on where it ended, and sends nothing twice', async () => {
    const first = new Intake(3);
    await expect(run(first, fresh)).rejects.toThrow('away');
    const reached = file.read()!;
    expect(reached.complete).toBeUndefined();
    const second = new Intake();
    const state = await run(second, reached, anchor + 10 * MINUTE);
    const minutes = [...first.got, ...second.got].flatMap((part) => part.minutes);
    expect(minutes).toHaveLength((3 * DAY + 10 * MINUTE) / MINUTE);
    expect(new Set(minutes).size).toBe(minutes.length);
    expect(second.got[0]!.minutes[0]).toBe(anchor);
    expect(second.got.filter(({ points }) => points > 0)).toHaveLength(1);
    expect(state).toMatchObject({ until: anchor + 10 * MINUTE, complete: true });
  });

  it('has nothing to send when all was sent', async () => {
    const state = await run(new Intake(), fresh);
    const again = new Intake();
    await run(again, state);
    expect(again.got).toEqual([]);
  });

  it('reads the state of a run that told only how far it had got', () => {
    file.write({ ...fresh, until: anchor, sent: undefined as unknown as [] });
    expect(file.read()!.sent).toEqual([{ from: 0, to: anchor }]);
  });
});
