import { isoAt } from '../records/timestamps.js';

/**
 * Types of slots, one letter each: n number, d duration, b size in bytes, p percentage, x hexadecimal,
 * u UUID, i IP address, l URL, e e-mail address, t timestamp or clock time, q quoted text, k identifier
 * with digits, w word, r the rest of the text (stack trace, overlong line).
 */
export type SlotType = 'n' | 'd' | 'b' | 'p' | 'x' | 'u' | 'i' | 'l' | 'e' | 't' | 'q' | 'k' | 'w' | 'r';

export const SLOT_NAMES: Record<SlotType, string> = {
  n: 'number',
  d: 'duration',
  b: 'size',
  p: 'percentage',
  x: 'hex',
  u: 'uuid',
  i: 'ip',
  l: 'url',
  e: 'email',
  t: 'time',
  q: 'quoted',
  k: 'identifier',
  w: 'word',
  r: 'rest',
};

const MAX_SLOTS = 64;
/** Only this much of a text's first line is cut into slots; what follows is one slot. */
const MAX_HEAD = 2000;
const MAX_QUOTED = 200;

const DIGIT = 1;
const LETTER = 2;
const HEX_LETTER = 4;
const JOINER = 8;

/** Class bits of each ASCII character; characters beyond ASCII count as letters. */
const CLASS = new Uint8Array(128);
for (let code = 0; code < 128; code++) {
  const character = String.fromCharCode(code);
  if (/[0-9]/.test(character)) CLASS[code] = DIGIT;
  else if (/[a-fA-F]/.test(character)) CLASS[code] = LETTER | HEX_LETTER;
  else if (/[A-Za-z_]/.test(character)) CLASS[code] = LETTER;
  else if (/[-.+~]/.test(character)) CLASS[code] = JOINER;
}
const classOf = (code: number): number => (code < 128 ? CLASS[code]! : LETTER);
const isWord = (code: number): boolean => (classOf(code) & (DIGIT | LETTER)) !== 0;

const DURATION = new Set(['ns', 'us', 'µs', 'μs', 'ms', 's', 'sec', 'secs', 'm', 'min', 'mins', 'h', 'd']);
const SIZE = new Set([
  'B',
  'b',
  'kB',
  'KB',
  'MB',
  'GB',
  'TB',
  'KiB',
  'MiB',
  'GiB',
  'TiB',
  'k',
  'K',
  'M',
  'G',
  'bytes',
]);

/** The slots found in one text. An instance is filled anew by each `scan`. */
export class Scan {
  count = 0;
  /** Hash of the literal text and the slot types: the shape of the text. */
  hash = 0;
  readonly starts = new Int32Array(MAX_SLOTS + 1);
  readonly ends = new Int32Array(MAX_SLOTS + 1);
  types = '';

  add(start: number, end: number, type: SlotType): void {
    this.starts[this.count] = start;
    this.ends[this.count] = end;
    this.count++;
    this.types += type;
  }
}

/**
 * Finds the slots of a text in one pass over its characters.
 *
 * @param request true for the request line of an access log: its quotes are not values, and its status is literal
 */
export function scanText(text: string, scan: Scan, request = false): void {
  scan.count = 0;
  scan.types = '';
  const newline = text.indexOf('\n');
  let head = newline < 0 ? text.length : newline;
  if (head > MAX_HEAD) head = MAX_HEAD;
  let hash = 0x811c9dc5;
  let at = 0;
  while (at < head) {
    const code = text.charCodeAt(at);
    const kind = classOf(code);
    let type: SlotType | '' = '';
    let end = at + 1;
    let start = at;
    if ((kind & (DIGIT | LETTER)) !== 0) {
      end = runEnd(text, at, head);
      const found = classify(text, at, end, head);
      type = found.type;
      end = found.end;
      if (request && type !== '' && literalInRequest(text, at, end)) type = '';
    } else if ((code === 45 || code === 43) && signed(text, at, head)) {
      end = runEnd(text, at + 1, head);
      const found = classify(text, at + 1, end, head);
      // A sign belongs to a number, not to an identifier or a date.
      if (found.type === 'n' || found.type === 'd' || found.type === 'p' || found.type === 'b') {
        type = found.type;
        end = found.end;
      } else end = at + 1;
    } else if ((code === 34 || code === 39) && !request) {
      const close = quoteEnd(text, at, head, code);
      if (close > 0) {
        hash = Math.imul(hash ^ code, 0x01000193);
        start = at + 1;
        end = close;
        type = 'q';
      }
    }
    if (type !== '') {
      if (scan.count === MAX_SLOTS - 1) break;
      scan.add(start, end, type);
      hash = Math.imul(hash ^ (0x10000 + type.charCodeAt(0)), 0x01000193);
    } else {
      for (let index = at; index < end; index++) hash = Math.imul(hash ^ text.charCodeAt(index), 0x01000193);
    }
    at = end;
  }
  if (at < text.length) {
    scan.add(at, text.length, 'r');
    hash = Math.imul(hash ^ (0x10000 + 114), 0x01000193);
  }
  scan.hash = hash;
}

/** End of the run of word characters at `at`, joined by single `-`, `.`, `+` or `~` inside. */
function runEnd(text: string, at: number, limit: number): number {
  let end = at + 1;
  for (; end < limit; end++) {
    const kind = classOf(text.charCodeAt(end));
    if ((kind & (DIGIT | LETTER)) !== 0) continue;
    if (kind === JOINER && end + 1 < limit && isWord(text.charCodeAt(end + 1))) continue;
    break;
  }
  return end;
}

interface Found {
  type: SlotType | '';
  end: number;
}
// One object is reused: this runs for every word of every record.
const found: Found = { type: '', end: 0 };
const is = (type: SlotType | '', end: number): Found => {
  found.type = type;
  found.end = end;
  return found;
};

/** Type and end of the run at `start`; type '' for a word that stays literal. */
function classify(text: string, start: number, end: number, limit: number): Found {
  let digits = 0;
  let letters = 0;
  let hexLetters = 0;
  let dots = 0;
  let otherJoiners = 0;
  for (let index = start; index < end; index++) {
    const code = text.charCodeAt(index);
    const kind = classOf(code);
    if (kind === DIGIT) digits++;
    else if (kind === JOINER) {
      if (code === 46) dots++;
      else otherJoiners++;
    } else {
      letters++;
      if (kind === (LETTER | HEX_LETTER)) hexLetters++;
    }
  }
  const next = end < limit ? text.charCodeAt(end) : 0;
  if (next === 58 && text.startsWith('://', end) && digits === 0)
    return is('l', urlEnd(text, end + 3, limit));
  if (next === 64 && end + 1 < limit && isWord(text.charCodeAt(end + 1))) {
    return is('e', runEnd(text, end + 1, limit));
  }
  const length = end - start;
  if (digits === 0) return is(length >= 8 && hexLetters === length ? 'x' : '', end);
  const first = classOf(text.charCodeAt(start));
  if (first === DIGIT) {
    const stamp = timeEnd(text, start, limit, next, length);
    if (stamp > 0) return is('t', stamp);
    if (letters === 0 && otherJoiners === 0 && dots <= 1) {
      return next === 37 ? is('p', end + 1) : is('n', end);
    }
    if (letters === 0 && otherJoiners === 0 && dots === 3 && isAddress(text, start, end)) return is('i', end);
    if (letters > 0 && letters <= 5 && otherJoiners === 0 && dots <= 1) {
      const unit = unitType(text, start, end, letters);
      if (unit) return is(unit, end);
    }
  }
  if (length === 36 && otherJoiners === 4 && hexLetters === letters && isUuid(text, start))
    return is('u', end);
  if (otherJoiners === 0 && dots === 0) {
    if (length >= 8 && hexLetters === letters) return is('x', end);
    if (text.startsWith('0x', start) && length > 2 && letters - 1 === hexLetters) return is('x', end);
  }
  // `v1` in a path or a version is a name, not a value.
  if (length <= 3 && digits === length - 1 && /^v/i.test(text[start]!)) return is('', end);
  return is('k', end);
}

function urlEnd(text: string, from: number, limit: number): number {
  let end = from;
  for (; end < limit; end++) {
    const code = text.charCodeAt(end);
    if (code <= 32 || code === 34 || code === 39 || code === 60 || code === 62 || code === 41 || code === 93)
      break;
  }
  // Punctuation behind a URL belongs to the sentence.
  while (end > from && /[.,;:]/.test(text[end - 1]!)) end--;
  return end;
}

/** End of a date with time, a date, or a clock time at `start`; 0 when there is none. */
function timeEnd(text: string, start: number, limit: number, next: number, length: number): number {
  if (text.charCodeAt(start + 4) === 45 || text.charCodeAt(start + 4) === 47) {
    const stamp = isoAt(text, start);
    if (stamp && stamp.end <= limit) return stamp.end;
    if (length === 10 && text.charCodeAt(start + 4) === 45 && text.charCodeAt(start + 7) === 45)
      return start + 10;
  }
  if (next === 58 && length === 2) {
    const clock = /^\d\d:\d\d(?::\d\d(?:[.,]\d+)?)?(?![\w:])/.exec(text.slice(start, start + 20));
    if (clock && start + clock[0].length <= limit) return start + clock[0].length;
  }
  return 0;
}

function isAddress(text: string, start: number, end: number): boolean {
  return text
    .slice(start, end)
    .split('.')
    .every((part) => part.length > 0 && part.length <= 3 && Number(part) <= 255);
}

function isUuid(text: string, start: number): boolean {
  return [8, 13, 18, 23].every((offset) => text.charCodeAt(start + offset) === 45);
}

function unitType(text: string, start: number, end: number, letters: number): SlotType | undefined {
  const split = end - letters;
  for (let index = start; index < split; index++) {
    if ((classOf(text.charCodeAt(index)) & LETTER) !== 0) return undefined;
  }
  if (classOf(text.charCodeAt(split - 1)) !== DIGIT) return undefined;
  const unit = text.slice(split, end);
  if (DURATION.has(unit)) return 'd';
  return SIZE.has(unit) ? 'b' : undefined;
}

/** True when the sign at `at` can only belong to a number: nothing word-like before it, a digit behind. */
function signed(text: string, at: number, limit: number): boolean {
  if (at + 1 >= limit || classOf(text.charCodeAt(at + 1)) !== DIGIT) return false;
  if (at === 0) return true;
  const before = text.charCodeAt(at - 1);
  return before === 32 || before === 61 || before === 40 || before === 44 || before === 58 || before === 91;
}

/** End of the quoted value whose quote stands at `at`, or 0 when it is no value: a key of JSON, an apostrophe, empty, too long. */
function quoteEnd(text: string, at: number, limit: number, quote: number): number {
  if (at > 0 && isWord(text.charCodeAt(at - 1))) return 0;
  const stop = Math.min(limit, at + MAX_QUOTED);
  for (let end = at + 1; end < stop; end++) {
    const code = text.charCodeAt(end);
    if (code === 92) return 0;
    if (code !== quote) continue;
    const next = end + 1 < limit ? text.charCodeAt(end + 1) : 0;
    if (quote === 39 && isWord(next)) continue;
    return end > at + 1 && next !== 58 ? end : 0;
  }
  return 0;
}

/** In a request line the version of the protocol and the status are part of what the line says. */
function literalInRequest(text: string, start: number, end: number): boolean {
  if (text.startsWith('HTTP/', start - 5)) return true;
  return end - start === 3 && text.startsWith('" ', start - 2);
}
