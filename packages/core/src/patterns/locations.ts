import { decodeUtf8 } from '../codec/bytes.js';
import { CLASS, DIGIT } from './characters.js';

/** Endings of files that hold a program's source. */
const SOURCE = new Set(
  `c cc cpp cxx h hh hpp m mm go py pyx java kt scala groovy clj js mjs cjs ts tsx jsx rb rs php pl pm lua cs fs vb
  swift ex exs erl hrl hs ml tcl d zig nim jl r dart`.split(/\s+/),
);
const LONGEST_ENDING = 6;

/**
 * End of a place in a program's source, as `gate.c:42`, `gate.go:42:7` or `gate.c(42)`: which statement wrote a
 * line is what it says, so that it is no value. 0 where there is none.
 *
 * @param end where the name of the file ends, or behind the line number where that was taken for a part of it
 */
export function locationEnd(bytes: Uint8Array, start: number, end: number, limit: number): number {
  let dot = end - 1;
  while (dot > start && bytes[dot] !== 46 && bytes[dot] !== 47) dot--;
  if (dot <= start || bytes[dot] !== 46) return 0;
  let stop = dot + 1;
  while (stop < end && isLetter(bytes[stop]!)) stop++;
  if (stop === dot + 1 || stop - dot > LONGEST_ENDING) return 0;
  const open = stop < limit ? bytes[stop]! : 0;
  if (open !== 58 && open !== 40) return 0;
  let line = digitsEnd(bytes, stop + 1, limit);
  if (line === stop + 1 || (open === 40 && bytes[line] !== 41)) return 0;
  if (!SOURCE.has(decodeUtf8(bytes.subarray(dot + 1, stop)).toLowerCase())) return 0;
  if (open === 40) return line + 1;
  // A column behind the line.
  if (bytes[line] === 58) {
    const column = digitsEnd(bytes, line + 1, limit);
    if (column > line + 1) line = column;
  }
  return line;
}

function digitsEnd(bytes: Uint8Array, at: number, limit: number): number {
  let end = at;
  while (end < limit && CLASS[bytes[end]!] === DIGIT) end++;
  return end;
}

const isLetter = (byte: number): boolean => (byte | 32) >= 97 && (byte | 32) <= 122;

/** Whether the last name in a run, between dots, is one of a class: it begins with a capital and goes on with small letters. */
export function isClass(bytes: Uint8Array, start: number, end: number): boolean {
  return /(?:^|\.)[A-Z]\w*[a-z]\w*$/.test(decodeUtf8(bytes.subarray(start, end)));
}

const FAILURE =
  /^(?:Caused by: )?(?:[A-Za-z_$][\w$]*(?:\.|::|\\))*[A-Z][\w$]*(?:Exception|Error|Failure|Fault|Interrupt|Timeout|Panic)(?![\w$])/;
const LONGEST_FAILURE = 200;

/** Where the name of a failure ends with which a record's second line begins at `at`, as `java.io.IOException`; `at` where there is none. */
export function failureEnd(bytes: Uint8Array, at: number, limit: number): number {
  const found = FAILURE.exec(decodeUtf8(bytes.subarray(at, Math.min(limit, at + LONGEST_FAILURE))));
  return found ? at + found[0].length : at;
}
