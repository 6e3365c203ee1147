import { isObject, type Unknown } from '../records/objects.js';

/** Items of a request that are read only as they are gone through. */
export abstract class Items implements Iterable<unknown> {
  abstract [Symbol.iterator](): Iterator<unknown>;
}

/** The objects of a list, be it read or still to be read. */
export function* itemsOf(list: unknown): Iterable<Unknown> {
  if (!Array.isArray(list) && !(list instanceof Items)) return;
  for (const item of list as Iterable<unknown>) if (isObject(item)) yield item;
}
