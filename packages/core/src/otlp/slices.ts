import { isObject } from '../records/objects.js';
import { Items } from './items.js';
import type { Signal } from './schema.js';

/**
 * Large requests in JSON, read a slice at a time: a request of many megabytes becomes a tree of objects ten times
 * its size, most of which would be in the way of the others.
 */

/** Names on the way from a request to its items, lists in lists. */
type ItemPath = readonly [groups: string, scopes: string, items: string];

const PATHS: Record<Signal, ItemPath> = {
  logs: ['resourceLogs', 'scopeLogs', 'logRecords'],
  traces: ['resourceSpans', 'scopeSpans', 'spans'],
  metrics: ['resourceMetrics', 'scopeMetrics', 'metrics'],
};

/** Bytes of items that are read together. */
const SLICE_BYTES = 64 * 1024;
/** Requests below this are read in one go. */
const LARGE_BYTES = 4 * 1024 * 1024;

const QUOTE = 0x22;
const BACKSLASH = 0x5c;
const COMMA = 0x2c;
const OPEN_LIST = 0x5b;
const CLOSE_LIST = 0x5d;
const OPEN_OBJECT = 0x7b;
const CLOSE_OBJECT = 0x7d;

/** Items of one list, as bytes of the request. */
class Slices extends Items {
  /** Where each slice begins, and where the last one ends. */
  readonly cuts: number[] = [];

  constructor(private readonly bytes: Uint8Array) {
    super();
  }

  *[Symbol.iterator](): Iterator<unknown> {
    for (let at = 0; at + 1 < this.cuts.length; at++)
      yield* JSON.parse(`[${textOf(this.bytes, this.cuts[at]!, this.cuts[at + 1]! - 1)}]`) as unknown[];
  }
}

const utf8 = new TextDecoder('utf-8');
const textOf = (bytes: Uint8Array, from: number, to: number): string => utf8.decode(bytes.subarray(from, to));

/**
 * Reads a request in JSON with something that goes through its items once. Throws as `JSON.parse` does on what
 * is no JSON.
 */
export function readJson<T>(signal: Signal, bytes: Uint8Array, read: (request: unknown) => T): T {
  if (bytes.length >= LARGE_BYTES) {
    try {
      const request = inSlices(bytes, PATHS[signal]);
      if (request !== undefined) return read(request);
    } catch (error) {
      // What is wrong with it is told of the whole.
      if (!(error instanceof SyntaxError)) throw error;
    }
  }
  return read(JSON.parse(textOf(bytes, 0, bytes.length)) as unknown);
}

function inSlices(bytes: Uint8Array, path: ItemPath): unknown {
  const lists = itemLists(bytes, path);
  if (!lists || lists.length === 0) return undefined;
  // The request without its items; each list of them is the number of what was cut out there.
  let rest = '';
  let at = 0;
  lists.forEach(({ from, to }, place) => {
    rest += `${textOf(bytes, at, from)}${place}`;
    at = to;
  });
  rest += textOf(bytes, at, bytes.length);
  const request = JSON.parse(rest) as unknown;
  return putBack(request, path, lists) ? request : undefined;
}

/** Puts the lists where they were; false where they do not all have a place of their own. */
function putBack(request: unknown, path: ItemPath, lists: readonly ItemList[]): boolean {
  const [groups, scopes, items] = path;
  let next = 0;
  for (const group of listIn(request, groups))
    for (const scope of listIn(group, scopes)) {
      if (!isObject(scope) || typeof scope[items] !== 'number') continue;
      if (scope[items] !== next) return false;
      (scope as Record<string, unknown>)[items] = lists[next++]!.slices;
    }
  return next === lists.length;
}

function listIn(value: unknown, name: string): unknown[] {
  const list = isObject(value) ? value[name] : undefined;
  return Array.isArray(list) ? (list as unknown[]) : [];
}

interface ItemList {
  /** Where its brackets begin and end. */
  from: number;
  to: number;
  slices: Slices;
}

/** Depth of the lists of items: object, list, object, list, object, list. */
const ITEMS_DEPTH = 6;

/** The lists of items of a request, found by its brackets and names; undefined where these do not fit. */
function itemLists(bytes: Uint8Array, path: ItemPath): ItemList[] | undefined {
  const names = path.map((name) => new TextEncoder().encode(name));
  const lists: ItemList[] = [];
  /** So many of the outer names were met, one within the other. */
  let onPath = 0;
  let depth = 0;
  let name = { from: 0, to: 0 };
  for (let at = 0; at < bytes.length; at++) {
    const byte = bytes[at]!;
    if (byte === QUOTE) {
      const end = endOfText(bytes, at);
      name = { from: at + 1, to: end };
      at = end;
    } else if (byte === OPEN_LIST || byte === OPEN_OBJECT) {
      depth++;
      if (byte === OPEN_OBJECT || depth !== 2 * (onPath + 1) || !isName(bytes, name, names[onPath]!))
        continue;
      if (depth < ITEMS_DEPTH) {
        onPath++;
        continue;
      }
      const list = itemList(bytes, at);
      if (!list) return undefined;
      lists.push(list);
      at = list.to - 1;
      depth--;
    } else if (byte === CLOSE_LIST || byte === CLOSE_OBJECT) {
      if (depth === 2 * onPath) onPath--;
      depth--;
    }
  }
  return depth === 0 ? lists : undefined;
}

/** The list that begins at a bracket, cut between items; undefined where it does not end, or ends with a comma. */
function itemList(bytes: Uint8Array, from: number): ItemList | undefined {
  const slices = new Slices(bytes);
  const { cuts } = slices;
  let last = from + 1;
  cuts.push(last);
  let depth = 0;
  for (let at = from; at < bytes.length; at++) {
    const byte = bytes[at]!;
    if (byte === QUOTE) at = endOfText(bytes, at);
    else if (byte === COMMA) {
      if (depth === 1 && at - last > SLICE_BYTES) cuts.push((last = at + 1));
    } else if (byte === OPEN_LIST || byte === OPEN_OBJECT) depth++;
    else if ((byte === CLOSE_LIST || byte === CLOSE_OBJECT) && --depth === 0) {
      if (!isBlank(bytes, last, at)) cuts.push(at + 1);
      else if (cuts.length > 1) return undefined;
      return { from, to: at + 1, slices };
    }
  }
  return undefined;
}

/** The place of the quote that ends a text; the end of the bytes where there is none. */
function endOfText(bytes: Uint8Array, start: number): number {
  for (let at = start + 1; at < bytes.length; at++) {
    const byte = bytes[at];
    if (byte === QUOTE) return at;
    // What it escapes ends nothing.
    if (byte === BACKSLASH) at++;
  }
  return bytes.length;
}

function isName(bytes: Uint8Array, { from, to }: { from: number; to: number }, name: Uint8Array): boolean {
  return to - from === name.length && name.every((byte, at) => bytes[from + at] === byte);
}

function isBlank(bytes: Uint8Array, from: number, to: number): boolean {
  for (let at = from; at < to; at++) if (bytes[at]! > 0x20) return false;
  return true;
}
