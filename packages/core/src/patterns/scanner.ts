import { CLASS, DIGIT, HEX_LETTER, JOINER, LETTER, WORD } from './characters.js';
import { dateEnd, timeEnd } from './dates.js';
import { failureEnd, isClass, locationEnd } from './locations.js';

/**
 * Types of slots, one letter each: n number, d duration, b size in bytes, p percentage, x hexadecimal,
 * u UUID, i IP address, l URL, e e-mail address, f path of a file, t timestamp or clock time, q quoted text,
 * k identifier with digits, w word, r the rest of the text (stack trace, free text, overlong line).
 */
export type SlotType =
  'n' | 'd' | 'b' | 'p' | 'x' | 'u' | 'i' | 'l' | 'e' | 'f' | 't' | 'q' | 'k' | 'w' | 'r';

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
  f: 'path',
  t: 'time',
  q: 'quoted',
  k: 'identifier',
  w: 'word',
  r: 'rest',
};

/** Whether the values of a slot may hold any characters: true for all but numbers with their units, hexadecimal, addresses and times. */
export const holdsAnything = (type: string): boolean => !'ndbpxuit'.includes(type);

/** Whether the values of a slot are hexadecimal digits: mostly identifiers. */
export const holdsIdentifiers = (type: string): boolean => type === 'x' || type === 'u';

/** More slots than this a text does not have; what follows is one slot. */
export const MAX_SLOTS = 64;
/** Only this much of a text's first line is cut into slots; what follows is one slot. */
const MAX_HEAD = 2000;
const MAX_QUOTED = 200;

/** Bytes that a path or URL does not hold. */
const ENDS_PATH = new Uint8Array(256);
for (const code of ' \t\n\r"\'<>()[]{},;|') ENDS_PATH[code.charCodeAt(0)] = 1;
for (let code = 0; code < 33; code++) ENDS_PATH[code] = 1;
/** Bytes behind which a path may begin. */
const BEFORE_PATH = new Uint8Array(256);
for (const code of ' \t"\'=([{,;:<>|`') BEFORE_PATH[code.charCodeAt(0)] = 1;

const DURATION = new Set(['ns', 'us', 'µs', 'μs', 'ms', 's', 'sec', 'secs', 'm', 'min', 'mins', 'h', 'd']);
const SIZE = new Set('B b kB KB MB GB TB KiB MiB GiB TiB k K M G bytes'.split(' '));

export const HASH_SEED = 0x811c9dc5;
export const HASH_PRIME = 0x01000193;
/** Slots enter a hash as numbers that no byte has. */
export const SLOT_MARK = 0x10000;

/** The slots found in one text. An instance is filled anew by each `scan`. */
export class Scan {
  count = 0;
  /** Hash of the literal bytes and the slot types: the shape of the text. */
  hash = 0;
  /** Where each slot begins and ends: indices into the bytes that were scanned. */
  readonly starts = new Int32Array(MAX_SLOTS + 1);
  readonly ends = new Int32Array(MAX_SLOTS + 1);
  /** The letter of each slot's type, as its character code. */
  readonly types = new Uint8Array(MAX_SLOTS + 1);

  /** Notes a slot; returns how many there are then. */
  put(count: number, start: number, end: number, type: number): number {
    this.starts[count] = start;
    this.ends[count] = end;
    this.types[count] = type;
    return count + 1;
  }

  /** The letters of the slots' types. */
  typeText(): string {
    let text = '';
    for (let slot = 0; slot < this.count; slot++) text += String.fromCharCode(this.types[slot]!);
    return text;
  }
}

const code = (letter: SlotType): number => letter.charCodeAt(0);
const NONE = 0;
const N = code('n');
const D = code('d');
const B = code('b');
const P = code('p');
const X = code('x');
const U = code('u');
const I = code('i');
const L = code('l');
const E = code('e');
const F = code('f');
const T = code('t');
const Q = code('q');
const K = code('k');
const R = code('r');

// The run being classified. Module variables, not an object: this runs for every word of every record.
let runStop = 0;
let runDigits = 0;
let runLetters = 0;
let runHex = 0;
let runDots = 0;
let runJoiners = 0;
let runHash = 0;

/**
 * Finds the slots of a text in one pass over its bytes (UTF-8), which are hashed on the way.
 *
 * @param request true for the request line of an access log: its quotes and paths are not values, and its status is literal
 */
export function scanText(bytes: Uint8Array, from: number, to: number, scan: Scan, request = false): void {
  let count = 0;
  let hash = HASH_SEED;
  let at = from;
  let head = Math.min(to, from + MAX_HEAD);
  // A cut within a character of several bytes would make two values of it that are no text.
  while (head < to && (bytes[head]! & 0xc0) === 0x80) head--;
  while (at < head) {
    const byte = bytes[at]!;
    const kind = CLASS[byte]!;
    let type = NONE;
    let end = at + 1;
    let start = at;
    if ((kind & WORD) !== 0) {
      if ((kind & LETTER) !== 0) {
        // Most runs are plain words: letters only, with nothing behind them that could make more of them.
        let common = HEX_LETTER;
        let word = hash;
        let stop = at;
        let own = kind;
        let letter = byte;
        while ((own & LETTER) !== 0) {
          common &= own;
          word = Math.imul(word ^ letter, HASH_PRIME);
          if (++stop === head) {
            letter = own = 0;
            break;
          }
          letter = bytes[stop]!;
          own = CLASS[letter]!;
        }
        const dated = stop - at === 3 && letter <= 44 ? dateEnd(bytes, at, head) : 0;
        if (dated > 0) {
          if (count === MAX_SLOTS - 1) break;
          count = scan.put(count, at, dated, T);
          hash = Math.imul(hash ^ (SLOT_MARK + T), HASH_PRIME);
          at = dated;
          continue;
        }
        if (
          own === 0 &&
          letter !== 58 &&
          letter !== 64 &&
          letter !== 47 &&
          letter !== 40 &&
          (common === 0 || stop - at < 8)
        ) {
          hash = word;
          at = stop;
          continue;
        }
      }
      run(bytes, at, head, hash);
      end = runStop;
      const next = end < head ? bytes[end]! : 0;
      if (
        runDigits === 0 &&
        next !== 58 &&
        next !== 64 &&
        next !== 47 &&
        next !== 40 &&
        (runHex !== runLetters || end - at < 8)
      ) {
        hash = runHash;
        at = end;
        continue;
      }
      type = classify(bytes, at, end, head, next, from, request);
      end = runStop;
      if (request && type !== NONE && literalInRequest(bytes, at, end, from)) type = NONE;
    } else if (byte === 10) {
      // Only the first line is cut up; which kind of failure the next one names is part of what is said.
      end = failureEnd(bytes, at + 1, to);
      for (; at < end; at++) hash = Math.imul(hash ^ bytes[at]!, HASH_PRIME);
      head = at;
      break;
    } else if (byte === 27 && bytes[at + 1] === 91) {
      // A colour of a terminal, up to the letter that ends it.
      end = at + 2;
      while (end < head && bytes[end]! < 64) end++;
      if (end < head) end++;
    } else if ((byte === 45 || byte === 43) && signed(bytes, at, head, from)) {
      run(bytes, at + 1, head, hash);
      const unsigned = classify(
        bytes,
        at + 1,
        runStop,
        head,
        runStop < head ? bytes[runStop]! : 0,
        from,
        request,
      );
      // A sign belongs to a number, not to an identifier or a date.
      if (unsigned === N || unsigned === D || unsigned === P || unsigned === B) {
        type = unsigned;
        end = runStop;
      }
    } else if ((byte === 34 || byte === 39) && !request) {
      const close = quoteEnd(bytes, at, head, byte, from);
      if (close > 0) {
        hash = Math.imul(hash ^ byte, HASH_PRIME);
        start = at + 1;
        end = close;
        type = Q;
      }
    } else if (byte === 47 && !request && (at === from || BEFORE_PATH[bytes[at - 1]!] === 1)) {
      const stop = pathEnd(bytes, at + 1, head);
      if (stop > at + 1 && (CLASS[bytes[at + 1]!]! & WORD) !== 0) {
        const place = locationEnd(bytes, at, stop, head);
        type = place > 0 ? NONE : F;
        end = place > 0 ? place : stop;
      }
    } else if (byte === 58 && bytes[at + 1] === 58) {
      const stop = addressEnd(bytes, at, head);
      if (stop > 0 && (at === from || (CLASS[bytes[at - 1]!]! & WORD) === 0)) {
        type = I;
        end = stop;
      }
    }
    if (type !== NONE) {
      if (count === MAX_SLOTS - 1) break;
      count = scan.put(count, start, end, type);
      hash = Math.imul(hash ^ (SLOT_MARK + type), HASH_PRIME);
    } else {
      for (let index = at; index < end; index++) hash = Math.imul(hash ^ bytes[index]!, HASH_PRIME);
    }
    at = end;
  }
  if (at < to) {
    count = scan.put(count, at, to, R);
    hash = Math.imul(hash ^ (SLOT_MARK + R), HASH_PRIME);
  }
  scan.count = count;
  scan.hash = hash;
}

const PLUS = 43;
const TILDE = 126;

/**
 * How many joining characters stand at `at` inside a run: one of `-`, `.`, `+`, `~`, or as in `g++-12` and
 * `3.6+dfsg+~3.5` some of `+` and `~` with them; 0 where the run ends.
 */
export function joinerLength(bytes: Uint8Array, at: number, limit: number): number {
  const next = bytes[at + 1]!;
  if (at + 1 < limit && (CLASS[next]! & WORD) !== 0) return 1;
  const soft = bytes[at] === PLUS || bytes[at] === TILDE;
  let end = at + 1;
  while (end < limit && end - at < 3 && (bytes[end] === PLUS || bytes[end] === TILDE)) end++;
  if (soft && end < limit && end - at < 3 && (bytes[end] === 45 || bytes[end] === 46)) end++;
  if (end > at + 1 && end < limit && (CLASS[bytes[end]!]! & WORD) !== 0) return end - at;
  // `c++` is a word.
  return bytes[at] === PLUS && next === PLUS && at + 1 < limit ? 2 : 0;
}

/** Finds the run of word characters at `at`, joined inside, and counts what it is made of. */
function run(bytes: Uint8Array, at: number, limit: number, seed: number): void {
  let digits = 0;
  let letters = 0;
  let hex = 0;
  let dots = 0;
  let joiners = 0;
  let hash = seed;
  let end = at;
  for (; end < limit; end++) {
    const byte = bytes[end]!;
    const kind = CLASS[byte]!;
    if ((kind & LETTER) !== 0) {
      letters++;
      if ((kind & HEX_LETTER) !== 0) hex++;
    } else if (kind === DIGIT) digits++;
    else if (kind === JOINER && end > at) {
      const joined = joinerLength(bytes, end, limit);
      if (joined === 0) break;
      if (byte === 46) dots++;
      else joiners++;
      for (let more = 1; more < joined; more++) {
        hash = Math.imul(hash ^ bytes[end++]!, HASH_PRIME);
        joiners++;
      }
      hash = Math.imul(hash ^ bytes[end]!, HASH_PRIME);
      continue;
    } else break;
    hash = Math.imul(hash ^ byte, HASH_PRIME);
  }
  runStop = end;
  runDigits = digits;
  runLetters = letters;
  runHex = hex;
  runDots = dots;
  runJoiners = joiners;
  runHash = hash;
}

/** Type of the run found last, 0 for one that stays literal; moves `runStop` to where the value ends. */
function classify(
  bytes: Uint8Array,
  start: number,
  end: number,
  limit: number,
  next: number,
  from: number,
  request: boolean,
): number {
  const digits = runDigits;
  const letters = runLetters;
  const length = end - start;
  if ((next === 58 || next === 40) && runDots > 0) {
    const place = locationEnd(bytes, start, end, limit);
    if (place > 0) return stopAt(NONE, place);
  }
  if (next === 58) {
    const after = end + 1 < limit ? bytes[end + 1]! : 0;
    if (after === 47 && digits === 0 && end + 2 < limit && bytes[end + 2] === 47)
      return stopAt(L, urlEnd(bytes, end + 3, limit));
    if (end - start <= 4 && runHex === letters && runDots + runJoiners === 0) {
      const stop = addressEnd(bytes, start, limit);
      if (stop > 0) return stopAt(stop - start === 17 && bytes[start + 2] === 58 ? X : I, stop);
    }
    // A host name with its port.
    if (digits === 0 && runDots > 0 && CLASS[after] === DIGIT) return stopAt(K, end);
    if (after === 92 && end - start === 1 && letters === 1) return stopAt(F, pathEnd(bytes, end + 2, limit));
  } else if (next === 64) {
    if (end + 1 < limit && (CLASS[bytes[end + 1]!]! & WORD) !== 0) {
      run(bytes, end + 1, limit, 0);
      // `Gate@42` is a class and a line of it.
      const line = runLetters + runDots + runJoiners === 0 && runDigits <= 5 && isClass(bytes, start, end);
      return stopAt(line ? NONE : E, runStop);
    }
  } else if (next === 47 && !request && CLASS[bytes[start]!] !== DIGIT) {
    const stop = relativePathEnd(bytes, end, limit);
    if (stop > 0) {
      const place = locationEnd(bytes, start, stop, limit);
      return place > 0 ? stopAt(NONE, place) : stopAt(F, stop);
    }
  }
  const day = length <= 2 && letters === 0 ? end : letters === 3 && length <= 11 ? end - 9 : 0;
  if (day > start && day <= start + 2) {
    const dated = dateEnd(bytes, start, limit);
    if (dated > 0) return stopAt(T, dated);
  }
  if (digits === 0) return stopAt(length >= 8 && runHex === length ? X : NONE, end);
  const dots = runDots;
  const joiners = runJoiners;
  if (CLASS[bytes[start]!] === DIGIT) {
    if (letters === 0 && joiners === 0 && dots <= 1 && next !== 58 && next !== 47) {
      return next === 37 ? stopAt(P, end + 1) : stopAt(N, end);
    }
    const stamp = timeEnd(bytes, start, limit, next, length);
    if (stamp > 0) return stopAt(T, stamp);
    if (letters === 0 && joiners === 0 && dots <= 1) return stopAt(N, end);
    if (letters === 0 && joiners === 0 && dots === 3 && isAddress(bytes, start, end)) return stopAt(I, end);
    if (letters > 0 && letters <= 5 && joiners === 0 && dots <= 1) {
      const unit = unitType(bytes, start, end, letters);
      if (unit !== NONE) return stopAt(unit, end);
    }
  }
  if (length === 36 && joiners === 4 && runHex === letters && isUuid(bytes, start)) return stopAt(U, end);
  if (joiners === 0 && dots === 0) {
    if (length >= 8 && runHex === letters) return stopAt(X, end);
    if (bytes[start] === 48 && bytes[start + 1] === 120 && length > 2 && letters - 1 === runHex)
      return stopAt(X, end);
  }
  // `v1` in a path or a version is a name, not a value.
  if (length <= 3 && digits === length - 1 && (bytes[start]! | 32) === 118 && start >= from)
    return stopAt(NONE, end);
  return stopAt(K, end);
}

function stopAt(type: number, end: number): number {
  runStop = end;
  return type;
}

/** Where a URL or path ends; punctuation behind it belongs to the sentence. */
function pathEnd(bytes: Uint8Array, from: number, limit: number): number {
  let end = from;
  while (end < limit && ENDS_PATH[bytes[end]!] === 0) end++;
  while (end > from && (bytes[end - 1] === 46 || bytes[end - 1] === 58)) end--;
  return end;
}

function urlEnd(bytes: Uint8Array, from: number, limit: number): number {
  let end = from;
  for (; end < limit; end++) {
    const byte = bytes[end]!;
    if (byte <= 32 || byte === 34 || byte === 39 || byte === 60 || byte === 62 || byte === 41 || byte === 93)
      break;
  }
  while (
    end > from &&
    (bytes[end - 1] === 46 || bytes[end - 1] === 44 || bytes[end - 1] === 58 || bytes[end - 1] === 59)
  )
    end--;
  return end;
}

/** End of a path without a leading slash, such as `src/app/main.js`; 0 for `and/or`. */
function relativePathEnd(bytes: Uint8Array, slash: number, limit: number): number {
  const end = pathEnd(bytes, slash + 1, limit);
  let slashes = 1;
  let dot = -1;
  for (let index = slash + 1; index < end; index++) {
    if (bytes[index] === 47) {
      if (bytes[index - 1] === 47) return 0;
      slashes++;
      dot = -1;
    } else if (bytes[index] === 46) dot = index;
    else if (bytes[index] === 61 || bytes[index] === 64) return 0;
  }
  const extension = dot > slash + 1 && end - dot > 1 && end - dot <= 6;
  return end > slash + 1 && (slashes >= 2 || extension) ? end : 0;
}

/** End of an IPv6 or MAC address at `at`, or 0: groups of up to four hexadecimal digits between colons. */
function addressEnd(bytes: Uint8Array, at: number, limit: number): number {
  let groups = 0;
  let gap = false;
  let digits = 0;
  let index = at;
  for (;;) {
    const from = index;
    for (; index < limit && index - from < 5; index++) {
      const kind = CLASS[bytes[index]!]!;
      if (kind === DIGIT) digits++;
      else if ((kind & HEX_LETTER) === 0) break;
    }
    if (index - from > 4) return 0;
    if (index > from) groups++;
    else if (index !== at && !gap) return 0;
    if (index >= limit || bytes[index] !== 58) break;
    if (bytes[index + 1] === 58) {
      if (gap) return 0;
      gap = true;
      index += 2;
      if (index >= limit || (CLASS[bytes[index]!]! & (DIGIT | HEX_LETTER)) === 0) break;
    } else {
      // A colon that no digit follows belongs to the sentence.
      if (index + 1 >= limit || (CLASS[bytes[index + 1]!]! & (DIGIT | HEX_LETTER)) === 0) break;
      index++;
    }
  }
  if (index < limit && (CLASS[bytes[index]!]! & WORD) !== 0) return 0;
  const whole = gap
    ? groups >= 1 && groups <= 7 && digits > 0
    : groups === 8 || (groups === 6 && index - at === 17);
  return whole ? index : 0;
}

function isAddress(bytes: Uint8Array, start: number, end: number): boolean {
  let part = 0;
  let length = 0;
  for (let index = start; index <= end; index++) {
    if (index === end || bytes[index] === 46) {
      if (length === 0 || length > 3 || part > 255) return false;
      part = length = 0;
    } else {
      part = part * 10 + bytes[index]! - 48;
      length++;
    }
  }
  return true;
}

const isUuid = (bytes: Uint8Array, start: number): boolean =>
  bytes[start + 8] === 45 && bytes[start + 13] === 45 && bytes[start + 18] === 45 && bytes[start + 23] === 45;

function unitType(bytes: Uint8Array, start: number, end: number, letters: number): number {
  // Letters beyond ASCII take several bytes, and each was counted.
  const split = end - letters;
  for (let index = start; index < split; index++) if ((CLASS[bytes[index]!]! & LETTER) !== 0) return NONE;
  if (CLASS[bytes[split - 1]!] !== DIGIT) return NONE;
  let unit = '';
  for (let index = split; index < end; index++) unit += String.fromCharCode(bytes[index]!);
  // The two spellings of the micro sign, byte by byte.
  if (unit === '\u00c2\u00b5s' || unit === '\u00ce\u00bcs') return D;
  if (DURATION.has(unit)) return D;
  return SIZE.has(unit) ? B : NONE;
}

/** True when the sign at `at` can only belong to a number: nothing word-like before it, a digit behind. */
function signed(bytes: Uint8Array, at: number, limit: number, from: number): boolean {
  if (at + 1 >= limit || CLASS[bytes[at + 1]!] !== DIGIT) return false;
  if (at === from) return true;
  const before = bytes[at - 1]!;
  return before === 32 || before === 61 || before === 40 || before === 44 || before === 58 || before === 91;
}

/** End of the quoted value whose quote stands at `at`, or 0 when it is no value: a key of JSON, an apostrophe, empty, too long. */
function quoteEnd(bytes: Uint8Array, at: number, limit: number, quote: number, from: number): number {
  if (at > from && (CLASS[bytes[at - 1]!]! & WORD) !== 0) return 0;
  const stop = Math.min(limit, at + MAX_QUOTED);
  for (let end = at + 1; end < stop; end++) {
    const byte = bytes[end]!;
    if (byte === 92 || byte === 10) return 0;
    if (byte !== quote) continue;
    const next = end + 1 < limit ? bytes[end + 1]! : 0;
    if (quote === 39 && (CLASS[next]! & WORD) !== 0) continue;
    return end > at + 1 && next !== 58 ? end : 0;
  }
  return 0;
}

/** In a request line the version of the protocol and the status are part of what the line says. */
function literalInRequest(bytes: Uint8Array, start: number, end: number, from: number): boolean {
  if (start - from >= 5 && bytes[start - 1] === 47 && bytes[start - 2] === 80 && bytes[start - 5] === 72)
    return true;
  return end - start === 3 && bytes[start - 1] === 32 && bytes[start - 2] === 34;
}
