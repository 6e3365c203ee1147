import {
  type BeforeApplicationShutdown,
  Inject,
  Injectable,
  Logger,
  type OnApplicationBootstrap,
} from '@nestjs/common';
import { CONFIG, type Config } from '../config/config.js';
import { OtlpService } from '../otlp/otlp.service.js';
import { RecordStore } from '../store/record-store.js';

/** A page of measurements that is fetched again and again. */
export interface Target {
  /** Service that its measurements are of, where they do not say it. */
  service: string;
  url: string;
}

const EVERY_MS = 15_000;
const TIMEOUT_MS = 10_000;
const LARGEST = 64 * 1024 * 1024;
const ACCEPT = 'application/openmetrics-text; version=1.0.0, text/plain; version=0.0.4; q=0.5';

/** Fetches measurements from those that offer them as OpenMetrics text (`FLAIL_SCRAPE`). */
@Injectable()
export class ScrapeService implements OnApplicationBootstrap, BeforeApplicationShutdown {
  private readonly logger = new Logger('Scrape');
  private readonly timers: NodeJS.Timeout[] = [];
  private readonly ending = new AbortController();
  private readonly silent = new Set<string>();

  constructor(
    @Inject(CONFIG) private readonly config: Config,
    private readonly otlp: OtlpService,
    private readonly store: RecordStore,
  ) {}

  onApplicationBootstrap(): void {
    for (const target of this.config.scrape) {
      const fetchIt = (): void => void this.scrape(target);
      fetchIt();
      this.timers.push(setInterval(fetchIt, EVERY_MS));
    }
  }

  beforeApplicationShutdown(): void {
    for (const timer of this.timers) clearInterval(timer);
    this.ending.abort();
  }

  /** Fetches a page once; that it could not be had is a measurement too. */
  async scrape({ service, url }: Target): Promise<boolean> {
    const labels = { service, instance: new URL(url).host };
    const text = await this.textOf(url);
    if (this.ending.signal.aborted) return false;
    try {
      await this.take(`${text ?? ''}\n# TYPE up gauge\nup ${text === undefined ? 0 : 1}\n`, labels);
    } catch (error) {
      this.logger.warn(`Measurements of ${url} could not be stored: ${String(error)}`);
    }
    return text !== undefined;
  }

  private async take(text: string, labels: Record<string, string>): Promise<void> {
    // What is behind the end mark is not read; ours is put before it.
    const bytes = Buffer.from(text.includes('# EOF') ? `${text.replaceAll('# EOF', '')}# EOF\n` : text);
    await this.otlp.take(this.store.dataset(), {
      signal: 'openmetrics',
      labels,
      arrival: Date.now() * 1000,
      bytes,
    });
  }

  private async textOf(url: string): Promise<string | undefined> {
    try {
      const signal = AbortSignal.any([AbortSignal.timeout(TIMEOUT_MS), this.ending.signal]);
      const response = await fetch(url, { headers: { accept: ACCEPT }, signal });
      if (!response.ok) throw new Error(`it answers ${response.status}`);
      if (Number(response.headers.get('content-length') ?? 0) > LARGEST) throw new Error('it is too large');
      const text = await response.text();
      this.silent.delete(url);
      return text;
    } catch (error) {
      // Said once, not every time.
      if (!this.silent.has(url) && !this.ending.signal.aborted)
        this.logger.warn(
          `${url} can't be fetched: ${error instanceof Error ? error.message : String(error)}`,
        );
      this.silent.add(url);
      return undefined;
    }
  }
}
