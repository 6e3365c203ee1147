import { type BeforeApplicationShutdown, Injectable, Logger } from '@nestjs/common';
import { createSocket, type Socket as DatagramSocket } from 'node:dgram';
import { createServer, type Server, type Socket } from 'node:net';
import { once } from 'node:events';
import { Readable } from 'node:stream';
import { LogIntakeService } from '../intake/log-intake.service.js';
import { RecordStore } from '../store/record-store.js';
import { Framing, FramingError } from './framing.js';

/** Messages wait this long for company. */
const WAIT_MS = 200;
const ENOUGH_BYTES = 256 * 1024;
/** Bytes that may wait; beyond, streams are not read on, and datagrams are lost. */
const MAX_WAITING = 16 * 1024 * 1024;
const RETRY_MS = 500;
const MAX_CONNECTIONS = 256;
const SOURCE = 'syslog';

/**
 * Receives syslog over UDP and TCP. The protocol knows no acknowledgement: what has come is stored within
 * moments, and what is on its way when the server ends is lost where its sender does not send it again.
 */
@Injectable()
export class SyslogService implements BeforeApplicationShutdown {
  private readonly logger = new Logger('Syslog');
  private udp: DatagramSocket | undefined;
  private tcp: Server | undefined;
  private readonly streams = new Set<Socket>();
  private waiting: Buffer[] = [];
  private waitingBytes = 0;
  private timer: NodeJS.Timeout | undefined;
  private storing: Promise<void> = Promise.resolve();
  private ended = false;
  /** Datagrams for which there was no room. */
  lost = 0;

  constructor(
    private readonly intake: LogIntakeService,
    private readonly store: RecordStore,
  ) {}

  /** Listens on one port for both; returns which. */
  async listen(port: number, host: string): Promise<number> {
    const tcp = createServer((stream) => this.read(stream));
    tcp.maxConnections = MAX_CONNECTIONS;
    tcp.listen(port, host);
    await once(tcp, 'listening');
    this.tcp = tcp;
    const own = (tcp.address() as { port: number }).port;
    const udp = createSocket({ type: host.includes(':') ? 'udp6' : 'udp4' });
    udp.on('message', (message) => this.datagram(message));
    udp.bind(own, host);
    await once(udp, 'listening');
    udp.on('error', (error) => this.logger.error(error.message));
    this.udp = udp;
    return own;
  }

  async beforeApplicationShutdown(): Promise<void> {
    this.udp?.close();
    this.tcp?.close();
    for (const stream of this.streams) stream.destroy();
    this.flush();
    this.ended = true;
    await this.storing;
  }

  private datagram(message: Buffer): void {
    if (this.waitingBytes > MAX_WAITING) {
      if (this.lost++ % 1000 === 0) this.logger.warn('More comes over UDP than can be stored; some is lost.');
      return;
    }
    const end = message.at(-1) === 10 ? message.length - 1 : message.length;
    this.add(message.subarray(0, end));
  }

  private read(stream: Socket): void {
    const framing = new Framing();
    this.streams.add(stream);
    const add = (messages: Buffer[]): void => {
      for (const message of messages) this.add(message);
      if (this.waitingBytes <= MAX_WAITING) return;
      stream.pause();
      void this.storing.finally(() => stream.resume());
    };
    stream.on('data', (bytes: Buffer) => {
      try {
        add(framing.push(bytes));
      } catch (error) {
        if (!(error instanceof FramingError)) throw error;
        this.logger.warn(`A sender of syslog is cut off: ${error.message}`);
        stream.destroy();
      }
    });
    stream.on('end', () => add(framing.end()));
    stream.on('error', () => stream.destroy());
    stream.on('close', () => this.streams.delete(stream));
  }

  private add(message: Buffer): void {
    if (message.length === 0 || this.ended) return;
    this.waiting.push(message);
    this.waitingBytes += message.length + 1;
    if (this.waitingBytes >= ENOUGH_BYTES) this.flush();
    else this.timer ??= setTimeout(() => this.flush(), WAIT_MS);
  }

  private flush(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = undefined;
    if (this.waiting.length === 0) return;
    const newline = Buffer.from('\n');
    const body = Buffer.concat(this.waiting.flatMap((message) => [message, newline]));
    this.waiting = [];
    const bytes = body.length;
    this.storing = this.storing.then(() => this.keep(body)).finally(() => (this.waitingBytes -= bytes));
  }

  /** Stores messages; tries again until they are. */
  private async keep(body: Buffer): Promise<void> {
    for (;;) {
      try {
        await this.intake.take({
          dataset: this.store.dataset(),
          source: SOURCE,
          attributes: {},
          format: SOURCE,
          body: Readable.from([body]),
        });
        return;
      } catch (error) {
        this.logger.warn(`Syslog could not be stored, and is tried again: ${String(error)}`);
        if (this.ended) return;
        await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
      }
    }
  }
}
