import type { Fleet } from '../fleet.js';
import type { Sender } from '../sending/sender.js';
import { SPANS_AT_ONCE } from '../sending/outbox.js';
import { MINUTE } from '../world/clock.js';
import { between } from '../world/signals.js';
import { type State, type StateFile, withSent } from './state.js';
import { type Stretch, toSend } from './stretches.js';

/** With so much gathered it is sent. */
const SPANS_IN_PART = 2 * SPANS_AT_ONCE;
const LINES_IN_PART = 160_000;

/**
 * Sends the history that leads up to now: the last two days first, by which the present is judged, then the series
 * of the weeks before the history, which tell what is usual, and then the days between.
 */
export class History {
  private readonly sent = { lines: 0, spans: 0, points: 0 };
  private minutes = 0;
  /** What is on its way; what comes next is made meanwhile. */
  private onItsWay: Promise<void> = Promise.resolve();

  constructor(
    /** Makes the fleet anew: each stretch lives through what led to it. */
    private readonly fleet: () => Fleet,
    private readonly sender: Sender,
    private readonly file: StateFile,
    private state: State,
  ) {}

  /** Sends what has not been sent of a time; returns the state that was reached. */
  async send(whole: Stretch): Promise<State> {
    const started = Date.now();
    const stretches = toSend(whole, Math.floor(this.state.anchor / MINUTE) * MINUTE, this.state.sent);
    const minutes = stretches.reduce((sum, { from, to }) => sum + (to - from) / MINUTE, 0);
    const days = stretches.at(-1);
    for (const stretch of stretches) {
      if (stretch === days) await this.sendWeeksBefore();
      await this.sendStretch(stretch, minutes);
    }
    await this.sendWeeksBefore();
    await this.onItsWay;
    if (!this.state.complete) this.note({ complete: true });
    if (this.sent.lines > 0) this.report(started);
    return this.state;
  }

  private async sendStretch(stretch: Stretch, minutes: number): Promise<void> {
    const fleet = this.fleet();
    let { from } = stretch;
    for (let minute = Math.floor(from / MINUTE) * MINUTE; minute < stretch.to; minute += MINUTE) {
      const signals = fleet.minute(minute);
      this.sender.gather(from > minute ? between(signals, from) : signals);
      this.minutes++;
      const { lines, spans } = this.sender.waiting;
      const next = minute + MINUTE;
      if (lines < LINES_IN_PART && spans < SPANS_IN_PART && next < stretch.to) continue;
      const part = { from, to: next };
      const name = `${new Date(from).toISOString()} to ${new Date(next).toISOString()}`;
      await this.flush(name, (state) => withSent(state, part));
      this.tell((100 * this.minutes) / minutes);
      from = next;
    }
  }

  /** Sends what was gathered, under a name of its own, and then notes something. */
  private async flush(name: string, noted: (state: State) => Partial<State>): Promise<void> {
    const { lines, spans, points } = this.sender.waiting;
    await this.onItsWay;
    this.sent.lines += lines;
    this.sent.spans += spans;
    this.sent.points += points;
    this.onItsWay = this.sender.flush(name).then(() => this.note(noted(this.state)));
    // Whoever waits for it next is told; until then a failure has nobody to go to.
    this.onItsWay.catch(() => undefined);
  }

  private async sendWeeksBefore(): Promise<void> {
    if (this.state.weeksBefore) return;
    for (const measurements of this.fleet().weeksBefore()) {
      this.sender.gather({ measurements });
      await this.flush(`weeks before ${measurements[0]!.at}`, () => ({}));
    }
    await this.onItsWay;
    this.note({ weeksBefore: true });
  }

  private note(change: Partial<State>): void {
    this.state = { ...this.state, ...change };
    this.file.write(this.state);
  }

  private tell(percent: number): void {
    if (process.stdout.isTTY)
      process.stdout.write(
        `\rHistory: ${Math.round(percent)}%, ${this.sent.lines.toLocaleString('en')} lines `,
      );
  }

  private report(started: number): void {
    const seconds = ((Date.now() - started) / 1000).toFixed(0);
    const { lines, spans, points } = this.sent;
    console.log(
      `${process.stdout.isTTY ? '\r' : ''}History is complete: ${lines.toLocaleString('en')} lines, ${spans.toLocaleString('en')} spans and ${points.toLocaleString('en')} measurements in ${seconds} s.`,
    );
  }
}
