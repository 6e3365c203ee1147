import type { IntakeAnswer, ProblemBody } from '@flail/contract';
import type { FormatName } from '@flail/core';
import { Presets, SingleBar } from 'cli-progress';
import { createReadStream, statSync } from 'node:fs';
import { request } from 'node:http';
import { basename } from 'node:path';
import { pipeline } from 'node:stream';

export interface LoadOptions {
  source?: string;
  format: FormatName | 'auto';
  dataset: string;
  url: string;
}

/** Sends files one after another, tells how it goes; resolves with whether all went well. */
export async function load(files: readonly string[], options: LoadOptions): Promise<boolean> {
  let failures = 0;
  for (const file of files) {
    try {
      const started = Date.now();
      const answer = await send(file, options);
      console.log(summaryOf(file, answer, (Date.now() - started) / 1000));
    } catch (error) {
      failures++;
      console.error(`${file}: ${messageOf(error)}`);
    }
  }
  return failures === 0;
}

export function messageOf(error: unknown): string {
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOENT') return 'There is no such file.';
  if (code === 'EACCES') return 'The file may not be read.';
  return code === 'EISDIR' ? 'This is a folder, not a file.' : (message ?? String(error));
}

/** A key by which a file is known again that was stored before. */
export const fileKey = (source: string, size: number, changed: number, format: string): string =>
  encodeURIComponent(`file/${source}/${size}/${changed}/${format}`).slice(-200);

async function send(file: string, options: LoadOptions): Promise<IntakeAnswer> {
  const { size, mtimeMs } = statSync(file);
  const source = options.source ?? basename(file);
  const url = new URL('/api/v1/intake/logs', options.url);
  for (const [name, value] of Object.entries({ source, format: options.format, dataset: options.dataset }))
    url.searchParams.set(name, value);
  const key = fileKey(source, size, mtimeMs, options.format);
  const bar = new SingleBar(
    { format: `${basename(file)} [{bar}] {percentage}% · {eta_formatted} left`, clearOnComplete: true },
    Presets.shades_classic,
  );
  bar.start(size, 0);
  try {
    return await new Promise<IntakeAnswer>((resolve, reject) => {
      const outgoing = request(
        url,
        {
          method: 'POST',
          headers: {
            'content-type': 'application/octet-stream',
            'content-length': size,
            'idempotency-key': key,
          },
        },
        (response) => {
          let text = '';
          response.setEncoding('utf8');
          response.on('data', (part: string) => (text += part));
          response.on('error', reject);
          response.on('end', () => {
            if (response.statusCode === 200) resolve(JSON.parse(text) as IntakeAnswer);
            else reject(new Error(detailOf(text, response.statusCode)));
          });
        },
      );
      outgoing.on('error', (error: NodeJS.ErrnoException) => {
        reject(
          error.code === 'ECONNREFUSED'
            ? new Error(`No Flail answers at ${url.origin}; start it with npm start or npm run demo.`)
            : error,
        );
      });
      const input = createReadStream(file, { highWaterMark: 256 * 1024 });
      input.on('data', (chunk) => bar.increment(chunk.length));
      // A failure of either side is reported by the request.
      pipeline(input, outgoing, (error) => {
        if (error && error.code !== 'ERR_STREAM_PREMATURE_CLOSE') reject(error);
      });
    });
  } finally {
    bar.stop();
  }
}

function detailOf(text: string, status: number | undefined): string {
  try {
    return (JSON.parse(text) as ProblemBody).detail;
  } catch {
    return `The server answered ${status}.`;
  }
}

/** What became of a file, in a few lines. */
export function summaryOf(file: string, answer: IntakeAnswer, seconds: number): string {
  const count = (number: number): string => number.toLocaleString('en');
  if (answer.repeated)
    return `${file}: was stored before (${count(answer.accepted)} records); nothing was added.`;
  const rate =
    seconds > 0
      ? ` in ${seconds.toFixed(1)} s (${count(Math.round(answer.accepted / seconds))} a second)`
      : '';
  const lines = [`${file}: ${count(answer.accepted)} records stored${rate}, read as ${answer.format}.`];
  if (answer.window) lines.push(`  from ${answer.window.from} to ${answer.window.to}`);
  if (answer.malformed > 0) lines.push(`  ${count(answer.malformed)} not in that format, kept as text`);
  for (const problem of answer.problems) {
    const place =
      problem.firstLine > 0
        ? ` (${count(problem.count)}, the first at line ${count(problem.firstLine)})`
        : '';
    lines.push(`  ${MISREAD.has(problem.code) ? 'warning: ' : ''}${problem.message}${place}`);
  }
  if (answer.problems.some(({ code }) => MISREAD.has(code)))
    lines.push('  To put it right, open the source in Sources, or load the file again with --format.');
  return lines.join('\n');
}

/** Problems by which records may be other than they should be. */
const MISREAD = new Set(['no-time', 'time-out-of-range', 'not-of-format']);
