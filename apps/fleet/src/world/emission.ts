import { SERVICES } from './company.js';
import { type Level, LEVELS, type Line } from './line.js';
import type { Signals, Span } from './signals.js';

/** What the instances of a service send. */
export interface Emission {
  /** The lowest level of lines that are written. */
  level: Level;
  /** Of the spans that the fleet keeps, those of one request in so many are sent. */
  sampling: number;
  /** Whether what was asked is recorded with each span; it takes time and room. */
  payloads: boolean;
}

/** What a service sent in a minute, and what it left out. */
export interface Sent {
  lines: number;
  bytes: number;
  spans: number;
  linesLeftOut: number;
  spansLeftOut: number;
}

export const USUAL_EMISSION: Emission = { level: 'DEBUG', sampling: 1, payloads: false };
export const SAMPLINGS = [1, 2, 5, 10, 100] as const;

/** Milliseconds that recording what was asked takes of a request. */
export const PAYLOAD_COST = 1.8;

/** The switches of all services: what each of them sends. */
export class Emissions {
  private readonly own = new Map<string, Emission>();
  private sent = new Map<string, Sent>();

  of(service: string): Emission {
    return this.own.get(service) ?? USUAL_EMISSION;
  }

  /** Services that record what they are asked. */
  get recording(): ReadonlySet<string> {
    return new Set([...this.own].flatMap(([service, { payloads }]) => (payloads ? [service] : [])));
  }

  /** Sets what a service sends from the next minute on; false where there is no such service. */
  set(service: string, change: Partial<Emission>): boolean {
    if (!SERVICES.some(({ name }) => name === service)) return false;
    this.own.set(service, { ...this.of(service), ...change });
    return true;
  }

  /** What a service sent in the minute simulated last. */
  lastSent(service: string): Sent {
    return this.sent.get(service) ?? nothingSent();
  }

  /** The part of a minute's signals that is sent. */
  apply(signals: Signals): Signals {
    this.sent = new Map();
    return {
      ...signals,
      lines: signals.lines.filter((line) => this.keepsLine(line)),
      spans: signals.spans.filter((span) => this.keepsSpan(span)),
    };
  }

  private keepsLine({ from, level, text }: Line): boolean {
    const sent = this.countOf(from.service);
    const kept = LEVELS.indexOf(level) >= LEVELS.indexOf(this.of(from.service).level);
    if (kept) {
      sent.lines++;
      sent.bytes += text.length + 1;
    } else sent.linesLeftOut++;
    return kept;
  }

  private keepsSpan(span: Span): boolean {
    const sent = this.countOf(span.from.service);
    const { sampling } = this.of(span.from.service);
    // All spans of a service in one request share their fate.
    const kept = Number.parseInt(span.trace.slice(-7), 16) % sampling === 0;
    if (kept) {
      sent.spans++;
      if (sampling > 1)
        span.attributes['sampling.one_in'] = sampling * Number(span.attributes['sampling.one_in'] ?? 1);
    } else sent.spansLeftOut++;
    return kept;
  }

  private countOf(service: string): Sent {
    let sent = this.sent.get(service);
    if (!sent) this.sent.set(service, (sent = nothingSent()));
    return sent;
  }
}

const nothingSent = (): Sent => ({ lines: 0, bytes: 0, spans: 0, linesLeftOut: 0, spansLeftOut: 0 });
