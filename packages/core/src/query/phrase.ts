import type { Layout } from '../patterns/layout.js';

/** Characters that the values of each type of slot may hold, where that is known; other slots may hold any. */
const ALPHABETS: Record<string, RegExp> = {
  n: /[\d.+-]/,
  d: /[\d.+\-a-zµμ]/,
  b: /[\d.+\-a-z]/,
  p: /[\d.+\-%]/,
  x: /[\da-fx:]/,
  u: /[\da-f-]/,
  i: /[\da-f.:]/,
  t: /[\d:.,/+\-tz ]/,
  k: /[^\s()[\]{}"',;=]/u,
  w: /[^\s()[\]{}"',;=]/u,
};

/**
 * Whether the texts of a layout hold a phrase (in lower case): all of them, since a literal holds it; none,
 * since no way of laying the phrase over literals and slots fits; or some, depending on slot values.
 *
 * The middle case is a walk over all places at once, as a nondeterministic automaton is run: a place is a
 * character of a literal or a slot that may hold any number of characters of its alphabet.
 */
export function phraseInLayout(layout: Layout, phrase: string): 'all' | 'some' | 'none' {
  const literals = layout.literals.map((literal) => literal.toLowerCase());
  if (literals.some((literal) => literal.includes(phrase))) return 'all';
  if (layout.types === '') return 'none';
  // Places are numbered through: the characters of literal 0, slot 0, the characters of literal 1, …
  const places: (string | RegExp | undefined)[] = [];
  const isSlot: boolean[] = [];
  literals.forEach((literal, index) => {
    for (const character of literal) {
      places.push(character);
      isSlot.push(false);
    }
    if (index < layout.types.length) {
      places.push(ALPHABETS[layout.types[index]!]);
      isSlot.push(true);
    }
  });
  let reached = new Set<number>(places.keys());
  for (const character of phrase) {
    const next = new Set<number>();
    for (const at of reached) {
      // A slot may be passed without using a character, so that the place behind it is reached as well.
      for (let place = at; place < places.length; place++) {
        const holds = places[place];
        if (!isSlot[place]) {
          if (holds === character) next.add(place + 1);
          break;
        }
        if (holds === undefined || (holds as RegExp).test(character)) next.add(place);
      }
    }
    if (next.size === 0) return 'none';
    reached = next;
  }
  return 'some';
}
