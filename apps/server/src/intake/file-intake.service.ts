import type { IntakeAnswer, IntakeProblem } from '@flail/contract';
import type { Signal } from '@flail/core/otlp';
import { Injectable } from '@nestjs/common';
import { OtlpService, type Taken } from '../otlp/otlp.service.js';
import { signalOfLine } from '../otlp/otlp-lines.js';
import { badRequest, Problem } from '../problems/problem.js';
import { setTimeout } from 'node:timers/promises';
import { begun, plainChunks, streamProblem } from './body-stream.js';
import { type LogBatch, LogIntakeService } from './log-intake.service.js';

/** Bytes by which it is told what lines are. */
const LOOKED_AT = 256;
/** Bytes of requests that are read together. */
const TOGETHER_BYTES = 4 * 1024 * 1024;
const MAX_LINE = 64 * 1024 * 1024;
const PROBLEMS_SHOWN = 20;
const NEWLINE = 10;
/** A sender that has not begun by then has gone. */
const SILENT_MS = 30_000;

/**
 * Takes in files and streams of lines, whatever they carry: lines of a log, or requests of OTLP in JSON, one a line,
 * as Flail's own export and the file writers of other programs leave them.
 */
@Injectable()
export class FileIntake {
  constructor(
    private readonly lines: LogIntakeService,
    private readonly otlp: OtlpService,
  ) {}

  async take(batch: LogBatch): Promise<IntakeAnswer> {
    const { first, all } = await soon(begun(plainChunks(batch.body), LOOKED_AT)).catch((error: unknown) => {
      if (error instanceof Problem) throw error;
      const { code, message } = streamProblem(error);
      throw badRequest(code, message);
    });
    return signalOfLine(first) === undefined || batch.format !== 'auto'
      ? this.lines.take({ ...batch, body: all, verbatim: true })
      : this.takeRequests(batch, all);
  }

  private async takeRequests(
    { dataset, key }: LogBatch,
    body: AsyncIterable<Uint8Array>,
  ): Promise<IntakeAnswer> {
    const sum = new Sum();
    let gathered: { signal: Signal; lines: Uint8Array[]; bytes: number } | undefined;
    let piece = 0;
    const store = async (): Promise<void> => {
      if (!gathered) return;
      const { signal, lines } = gathered;
      gathered = undefined;
      const task = { signal, type: 'json', bytes: Buffer.concat(lines) } as const;
      sum.add(await this.otlp.take(dataset, task, key === undefined ? undefined : `${key}/${piece++}`));
    };
    let line = 0;
    try {
      for await (const bytes of linesOf(body)) {
        line++;
        const signal = signalOfLine(bytes);
        if (signal === undefined) {
          sum.refuse('Carries no request of OTLP; left out.', line);
          continue;
        }
        if (gathered && (gathered.signal !== signal || gathered.bytes > TOGETHER_BYTES)) await store();
        gathered ??= { signal, lines: [], bytes: 0 };
        gathered.lines.push(bytes);
        gathered.bytes += bytes.length;
      }
    } catch (error) {
      if (error instanceof Problem) throw error;
      sum.problems.push(streamProblem(error));
    }
    await store();
    return sum.answer();
  }
}

/** What begins soon, or else a sender is told that it said nothing. */
async function soon<T>(beginning: Promise<T>): Promise<T> {
  const stop = new AbortController();
  const silent = setTimeout(SILENT_MS, undefined, { signal: stop.signal }).then(() => {
    throw new Problem(
      408,
      'silent',
      'Nothing came',
      'The sender said nothing for too long; nothing was stored.',
    );
  });
  try {
    return await Promise.race([beginning, silent]);
  } finally {
    stop.abort();
    silent.catch(() => undefined);
  }
}

/** What came of several requests. */
class Sum {
  readonly problems: IntakeProblem[] = [];
  private accepted = 0;
  private malformed = 0;
  private pieces = 0;
  private repeated = 0;
  private window: IntakeAnswer['window'];

  add({ accepted, rejected, reason, repeated, window }: Taken): void {
    this.accepted += accepted;
    this.malformed += rejected;
    this.pieces++;
    if (repeated) this.repeated++;
    if (rejected > 0 && this.problems.length < PROBLEMS_SHOWN)
      this.problems.push({ code: 'not-of-format', message: reason, count: rejected, firstLine: 0 });
    if (!window) return;
    const { from, to } = this.window ?? window;
    this.window = { from: from < window.from ? from : window.from, to: to > window.to ? to : window.to };
  }

  refuse(message: string, line: number): void {
    this.malformed++;
    const known = this.problems.find((problem) => problem.message === message);
    if (known) known.count++;
    else this.problems.push({ code: 'not-of-format', message, count: 1, firstLine: line });
  }

  answer(): IntakeAnswer {
    return {
      accepted: this.accepted,
      malformed: this.malformed,
      format: 'otlp',
      repeated: this.pieces > 0 && this.repeated === this.pieces,
      ...(this.window && { window: this.window }),
      problems: this.problems,
    };
  }
}

/** Lines that come in pieces, each with its end, without those that are empty. */
async function* linesOf(pieces: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  let rest: Uint8Array[] = [];
  let length = 0;
  for await (const piece of pieces) {
    let from = 0;
    for (let end = piece.indexOf(NEWLINE); end >= 0; end = piece.indexOf(NEWLINE, from)) {
      const line = Buffer.concat([...rest, piece.subarray(from, end + 1)]);
      rest = [];
      length = 0;
      from = end + 1;
      if (line.length > 1) yield line;
    }
    if (from < piece.length) rest.push(piece.subarray(from));
    length += piece.length - from;
    if (length > MAX_LINE) throw badRequest('too-large', 'A request in it is longer than 64 MB.');
  }
  if (length > 0) yield Buffer.concat([...rest, Buffer.from('\n')]);
}
