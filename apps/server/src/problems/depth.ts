import { badRequest } from './problem.js';

/** Lists and objects within one another in a question to the API; none of ours has a tenth of it. */
export const MOST_DEPTH = 100;

const QUOTE = 0x22;
const BACKSLASH = 0x5c;

/** How deep a JSON text goes, by its brackets alone; stops counting beyond a limit. */
export function depthOf(bytes: Uint8Array, limit = MOST_DEPTH): number {
  let depth = 0;
  let deepest = 0;
  let quoted = false;
  for (let at = 0; at < bytes.length; at++) {
    const byte = bytes[at]!;
    if (quoted) {
      if (byte === BACKSLASH) at++;
      else if (byte === QUOTE) quoted = false;
    } else if (byte === QUOTE) quoted = true;
    else if (byte === 0x7b || byte === 0x5b) {
      if (++depth > deepest && (deepest = depth) > limit) return deepest;
    } else if (byte === 0x7d || byte === 0x5d) depth--;
  }
  return deepest;
}

/** Refuses a text that goes too deep: reading it would hold everybody up. */
export function refuseTooDeep(bytes: Uint8Array, limit = MOST_DEPTH): void {
  if (depthOf(bytes, limit) > limit)
    throw badRequest('too-deep', `Its lists and objects lie more than ${limit} deep in one another.`);
}
