import { isObject, type Unknown } from '../records/objects.js';
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
const LARGE_BYTES = 1024 * 1024;

const QUOTE = 0x22;
const BACKSLASH = 0x5c;
const COMMA = 0x2c;
const OPEN = { brace: 0x7b, bracket: 0x5b };
const CLOSE = { brace: 0x7d, bracket: 0x5d };

/** Items of one list, as bytes of the request. */
class Slices implements Iterable<unknown> {
  /** Where each slice begins, and where the last one ends. */
  readonly cuts: number[] = [];

  constructor(private readonly bytes: Uint8Array) {}

  *[Symbol.iterator](): Iterator<unknown> {
    for (let at = 0; at + 1 < this.cuts.length; at++)
      yield* JSON.parse(`[${textOf(this.bytes, this.cuts[at]!, this.cuts[at + 1]! - 1)}]`) as unknown[];
  }
}

const utf8 = new TextDecoder('utf-8');
const textOf = (bytes: Uint8Array, from: number, to: number): string => utf8.decode(bytes.subarray(from, to));

/** The objects of a list, be it read or still to be read. */
export function* itemsOf(list: unknown): Iterable<Unknown> {
  if (!Array.isArray(list) && !(list instanceof Slices)) return;
  for (const item of list as Iterable<unknown>) if (isObject(item)) yield item;
}

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
  let list: ItemList | undefined;
  for (let at = 0; at < bytes.length; at++) {
    const byte = bytes[at]!;
    if (byte === QUOTE) {
      const end = endOfText(bytes, at);
      if (end < 0) return undefined;
      if (!list) name = { from: at + 1, to: end };
      at = end;
    } else if (byte === OPEN.bracket || byte === OPEN.brace) {
      depth++;
      if (list || byte === OPEN.brace || depth !== 2 * (onPath + 1)) continue;
      if (!isName(bytes, name, names[onPath]!)) continue;
      onPath++;
      if (depth !== ITEMS_DEPTH) continue;
      list = { from: at, to: 0, slices: new Slices(bytes) };
      list.slices.cuts.push(at + 1);
    } else if (byte === CLOSE.bracket || byte === CLOSE.brace) {
      if (list && depth === ITEMS_DEPTH) {
        const { cuts } = list.slices;
        if (!isBlank(bytes, cuts.at(-1)!, at)) cuts.push(at + 1);
        // Nothing stands behind its last comma.
        else if (cuts.length > 1) return undefined;
        list.to = at + 1;
        lists.push(list);
        list = undefined;
      }
      if (depth === 2 * onPath) onPath--;
      depth--;
    } else if (byte === COMMA && list && depth === ITEMS_DEPTH) {
      const { cuts } = list.slices;
      if (at - cuts.at(-1)! > SLICE_BYTES) cuts.push(at + 1);
    }
  }
  return depth === 0 ? lists : undefined;
}

/** The place of the quote that ends a text; below nought where there is none. */
function endOfText(bytes: Uint8Array, start: number): number {
  for (let at = bytes.indexOf(QUOTE, start + 1); at >= 0; at = bytes.indexOf(QUOTE, at + 1)) {
    let before = at - 1;
    while (bytes[before] === BACKSLASH) before--;
    if ((at - before) % 2 === 1) return at;
  }
  return -1;
}

function isName(bytes: Uint8Array, { from, to }: { from: number; to: number }, name: Uint8Array): boolean {
  return to - from === name.length && name.every((byte, at) => bytes[from + at] === byte);
}

function isBlank(bytes: Uint8Array, from: number, to: number): boolean {
  for (let at = from; at < to; at++) if (bytes[at]! > 0x20) return false;
  return true;
}
