import { setImmediate } from 'node:timers/promises';

/** Things that are gone through on the main thread before others get their turn. */
const AT_ONCE = 200;

/** The same things, with a pause for others after every few hundred. */
export async function* breathing<T>(things: Iterable<T>, atOnce = AT_ONCE): AsyncGenerator<T> {
  let count = 0;
  for (const thing of things) {
    if (++count % atOnce === 0) await setImmediate();
    yield thing;
  }
}
