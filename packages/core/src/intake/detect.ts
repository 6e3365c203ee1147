import { FORMATS, type FormatName, ShapeBook } from '../records/shape.js';
import { AccessReader } from './access.js';
import { type CsvColumns, CsvReader, endsQuoted } from './csv.js';
import { JsonLinesReader } from './json-lines.js';
import { LogfmtReader } from './logfmt.js';
import type { Head } from './head.js';
import { PlainReader, startsWithTime } from './plain.js';
import type { Reader } from './reader.js';
import { SyslogReader } from './syslog.js';

/** What is known of a source's lines beside their format. */
export interface KnownLines {
  /** For CSV. */
  columns?: CsvColumns | undefined;
  /** For plain text. */
  heads?: readonly Head[] | undefined;
  /** Microseconds since 1970, for times without a date. */
  now?: number;
}

export function readerOf(
  format: FormatName,
  book: ShapeBook,
  { columns, heads, now }: KnownLines = {},
): Reader {
  switch (format) {
    case 'json':
      return new JsonLinesReader(book);
    case 'logfmt':
      return new LogfmtReader(book);
    case 'access':
      return new AccessReader(book);
    case 'syslog':
      return new SyslogReader(book);
    case 'csv':
      return new CsvReader(book, columns);
    case 'plain':
      return new PlainReader(book, heads, now);
  }
}

export interface Detected {
  format: FormatName;
  /** True when lines open with a moment, so that a line without one goes on with the record before. */
  timed: boolean;
}

/** Decides the format of a source from its first lines: the one that reads most of them, and half at least. */
export function detectFormat(lines: readonly string[]): Detected {
  const book = new ShapeBook();
  const sample = lines.filter((line) => line.trim() !== '').slice(0, 60);
  let best: FormatName = 'plain';
  let most = 0;
  for (const format of FORMATS) {
    if (format === 'plain') continue;
    const reader = readerOf(format, book);
    const records =
      format === 'csv' ? quotedTogether(sample) : sample.map((line) => ({ text: line, lines: 1 }));
    const read = records.reduce(
      (sum, { text, lines }) => sum + (reader.header?.(text) === true || reader.read(text) ? lines : 0),
      0,
    );
    if (read > most && read * 2 >= sample.length) {
      best = format;
      most = read;
    }
  }
  const first = sample[0];
  return { format: best, timed: first !== undefined && startsWithTime(first) };
}

/** Lines that go on with one that ends within quotes are one record with it. */
function quotedTogether(sample: readonly string[]): { text: string; lines: number }[] {
  const records: { text: string; lines: number }[] = [];
  for (const line of sample) {
    const last = records.at(-1);
    if (last && endsQuoted(last.text)) {
      last.text += `\n${line}`;
      last.lines++;
    } else records.push({ text: line, lines: 1 });
  }
  return records;
}

const MAGIC: [name: string, bytes: number[]][] = [
  ['a zip archive', [0x50, 0x4b, 0x03, 0x04]],
  ['a PNG picture', [0x89, 0x50, 0x4e, 0x47]],
  ['a PDF document', [0x25, 0x50, 0x44, 0x46]],
  ['a program', [0x7f, 0x45, 0x4c, 0x46]],
  ['a zstd archive', [0x28, 0xb5, 0x2f, 0xfd]],
  ['an xz archive', [0xfd, 0x37, 0x7a, 0x58]],
  ['a bzip2 archive', [0x42, 0x5a, 0x68]],
  ['a gzip archive inside another', [0x1f, 0x8b]],
  ['a SQLite database', [0x53, 0x51, 0x4c, 0x69, 0x74, 0x65]],
];

/** What a block of bytes is when it can't be a log: a known kind of file, or bytes that no text holds; undefined for text. */
export function binaryKind(bytes: Uint8Array): string | undefined {
  const known = MAGIC.find(([, magic]) => magic.every((byte, index) => bytes[index] === byte));
  if (known) return known[0];
  const sample = bytes.subarray(0, 4096);
  let control = 0;
  for (const byte of sample)
    if (byte < 32 && byte !== 9 && byte !== 10 && byte !== 13 && byte !== 27) control++;
  return sample.length > 0 && control / sample.length > 0.1 ? 'a binary file' : undefined;
}
