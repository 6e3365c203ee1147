import { type BeforeApplicationShutdown, Injectable, Logger } from '@nestjs/common';
import { createSocket, type Socket as DatagramSocket } from 'node:dgram';
import { createServer, type Server, type Socket } from 'node:net';
import { once } from 'node:events';
import { LogIntakeService } from '../intake/log-intake.service.js';
import { SourceNotes, type SourceTrouble } from '../intake/source-notes.service.js';
import { Lifecycle } from '../platform/lifecycle.service.js';
import { Problem } from '../problems/problem.js';
import { RecordStore } from '../store/record-store.js';
import { datagramLosses } from './datagram-losses.js';
import { Framing, isTls, LARGEST } from './framing.js';

/** Messages wait this long for company. */
const WAIT_MS = 200;
const ENOUGH_BYTES = 256 * 1024;
/** Bytes that are stored together. */
const MOST_BYTES = 4 * 1024 * 1024;
/** Bytes that may wait; beyond, streams are not read on, and datagrams are lost. */
const MAX_WAITING = 16 * 1024 * 1024;
/** Datagrams that the system keeps until they are read, in bytes; it may grant less. */
const RECEIVED_BYTES = 8 * 1024 * 1024;
const RETRY_MS = 500;
const MAX_RETRY_MS = 10_000;
const MAX_CONNECTIONS = 512;
const LOSSES_MS = 5000;
const SOURCE = 'syslog';
const SAMPLE_BYTES = 100;

/** A sender over TCP. */
interface Stream {
  socket: Socket;
  /** Messages that came, and when the last bytes did; milliseconds since 1970. */
  messages: number;
  heard: number;
}

/**
 * Receives syslog over UDP and TCP. The protocol knows no acknowledgement: what has come is stored within
 * moments, and what is on its way when the server ends is lost where its sender does not send it again. Whatever
 * bytes a message has, it is kept; what can't be stored for good is told of and blocks nothing behind it.
 */
@Injectable()
export class SyslogService implements BeforeApplicationShutdown {
  private readonly logger = new Logger('Syslog');
  private udp: DatagramSocket | undefined;
  private tcp: Server | undefined;
  private readonly streams = new Set<Stream>();
  private waiting: Buffer[] = [];
  private waitingBytes = 0;
  /** Bytes that have come since it was last begun to store. */
  private gatheredBytes = 0;
  private busy = false;
  private timer: NodeJS.Timeout | undefined;
  private storing: Promise<void> = Promise.resolve();
  private ended = false;
  private losses: NodeJS.Timeout | undefined;
  /** Datagrams lost: those for which there was no room here, and those that the system had none for. */
  private lost = 0;
  private lostBefore = 0;
  /** Of these, those that the source tells of. */
  private lostTold = 0;

  constructor(
    private readonly intake: LogIntakeService,
    private readonly notes: SourceNotes,
    private readonly store: RecordStore,
    lifecycle: Lifecycle,
  ) {
    lifecycle.onEnding(() => this.stop());
  }

  /** Listens on one port for both; returns which. */
  async listen(port: number, host: string): Promise<number> {
    const tcp = createServer((socket) => this.read(socket));
    tcp.listen(port, host);
    await once(tcp, 'listening');
    this.tcp = tcp;
    const own = (tcp.address() as { port: number }).port;
    const udp = createSocket({ type: host.includes(':') ? 'udp6' : 'udp4', recvBufferSize: RECEIVED_BYTES });
    udp.on('message', (message) => this.datagram(message));
    udp.bind(own, host);
    await once(udp, 'listening');
    udp.on('error', (error) => this.logger.error(error.message));
    this.udp = udp;
    this.losses = setInterval(() => void this.tellLosses(own), LOSSES_MS);
    this.losses.unref();
    return own;
  }

  beforeApplicationShutdown(): Promise<void> {
    return this.stop();
  }

  /** Stops listening, and stores what has come. */
  private async stop(): Promise<void> {
    clearInterval(this.losses);
    if (this.ended) return this.storing;
    this.udp?.close();
    this.tcp?.close();
    for (const { socket } of this.streams) socket.destroy();
    this.flush();
    this.ended = true;
    // What came while others were stored is stored behind them.
    await this.storing;
  }

  private datagram(message: Buffer): void {
    if (this.waitingBytes > MAX_WAITING) {
      this.lost++;
      return;
    }
    const end = message.at(-1) === 10 ? message.length - 1 : message.length;
    this.add(message.subarray(0, end));
  }

  private read(socket: Socket): void {
    this.makeRoom();
    const stream: Stream = { socket, messages: 0, heard: Date.now() };
    const framing = new Framing();
    let begun = false;
    this.streams.add(stream);
    const add = (messages: Buffer[]): void => {
      stream.messages += messages.length;
      for (const message of messages) this.add(message);
      if (this.waitingBytes <= MAX_WAITING) return;
      socket.pause();
      void this.storing.finally(() => socket.resume());
    };
    socket.on('data', (bytes: Buffer) => {
      stream.heard = Date.now();
      if (!begun && isTls(bytes)) {
        this.trouble({
          code: 'tls',
          message: `A sender (last ${socket.remoteAddress ?? 'unknown'}) speaks TLS, which this port does not; it has to send without, or through something that takes TLS off.`,
          count: 1,
        });
        socket.destroy();
        return;
      }
      begun = true;
      add(framing.push(bytes));
    });
    socket.on('end', () => add(framing.end()));
    socket.on('error', () => socket.destroy());
    socket.on('close', () => {
      this.streams.delete(stream);
      if (framing.cut > 0)
        this.trouble({
          code: 'message-too-long',
          message: `Longer than ${LARGEST / 1024 / 1024} MiB; cut into several records.`,
          count: framing.cut,
        });
    });
  }

  /** Where there are too many connections, one that never sent anything makes room, or else the one that was silent longest. */
  private makeRoom(): void {
    if (this.streams.size < MAX_CONNECTIONS) return;
    const [first] = [...this.streams].sort(
      (a, b) => Number(a.messages > 0) - Number(b.messages > 0) || a.heard - b.heard,
    );
    if (!first) return;
    first.socket.destroy();
    this.streams.delete(first);
    this.trouble({
      code: 'connections',
      message: `More than ${MAX_CONNECTIONS} connections at once; those that said nothing for longest were closed.`,
      count: 1,
    });
  }

  private add(message: Buffer): void {
    if (message.length === 0 || this.ended) return;
    this.waiting.push(message);
    this.waitingBytes += message.length;
    this.gatheredBytes += message.length;
    if (this.gatheredBytes >= ENOUGH_BYTES) this.flush();
    else this.timer ??= setTimeout(() => this.flush(), WAIT_MS);
  }

  /** Stores what waits. What comes while that is done waits for it, and goes together. */
  private flush(): void {
    if (this.timer) clearTimeout(this.timer);
    this.timer = undefined;
    this.gatheredBytes = 0;
    if (this.busy || this.waiting.length === 0) return;
    this.busy = true;
    this.storing = this.storeAll().finally(() => (this.busy = false));
  }

  private async storeAll(): Promise<void> {
    while (this.waiting.length > 0) {
      let bytes = 0;
      let count = 0;
      while (count < this.waiting.length && bytes < MOST_BYTES) bytes += this.waiting[count++]!.length;
      const messages = this.waiting.splice(0, count);
      await this.keep(messages);
      this.waitingBytes -= bytes;
    }
  }

  /** Stores messages; tries again until they are, unless they never can be: then all but those that are in the way. */
  private async keep(messages: readonly Buffer[]): Promise<void> {
    for (let wait = RETRY_MS; ; wait = Math.min(2 * wait, MAX_RETRY_MS)) {
      try {
        await this.intake.takeMessages({
          dataset: this.store.dataset(),
          source: SOURCE,
          attributes: {},
          format: SOURCE,
          messages,
        });
        return;
      } catch (error) {
        if (isForGood(error)) return this.keepApart(messages, error);
        this.logger.warn(`Syslog could not be stored, and is tried again: ${messageOf(error)}`);
        if (this.ended) return;
        await new Promise((resolve) => setTimeout(resolve, wait));
      }
    }
  }

  private async keepApart(messages: readonly Buffer[], error: unknown): Promise<void> {
    if (messages.length > 1) {
      const half = messages.length >> 1;
      await this.keep(messages.slice(0, half));
      await this.keep(messages.slice(half));
      return;
    }
    this.logger.error(`A message of syslog can't be stored: ${messageOf(error)}`);
    const [message] = messages;
    this.trouble({
      code: 'not-stored',
      message: `Could not be stored: ${messageOf(error)}`,
      count: 1,
      sample: message!.toString('latin1', 0, SAMPLE_BYTES),
    });
  }

  private async tellLosses(port: number): Promise<void> {
    this.lostBefore = (await datagramLosses(port)) ?? this.lostBefore;
    const lost = this.lost + this.lostBefore;
    const count = lost - this.lostTold;
    if (count <= 0) return;
    this.lostTold = lost;
    this.logger.warn(`${count} datagrams of syslog were lost: more comes than can be stored.`);
    this.trouble({
      code: 'datagrams-lost',
      message: 'Datagrams lost, since more came at once than could be stored; TCP loses none.',
      count,
    });
  }

  /** Tells of what is wrong where people look for it. */
  private trouble(trouble: SourceTrouble): void {
    this.notes
      .trouble(this.store.dataset(), SOURCE, trouble)
      .catch((error: unknown) => this.logger.error(messageOf(error)));
  }
}

/** True where trying again would fail again. */
const isForGood = (error: unknown): boolean =>
  error instanceof Problem && error.status >= 400 && error.status < 500 && error.status !== 429;

const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));
