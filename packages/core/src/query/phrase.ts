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

/** Which of the phrase's sequences of three characters the values of a layout's slots hold: those that end at an index. */
export type Inside = (end: number) => boolean;

/** In what way the texts of a layout can hold a phrase. */
export interface PhraseFit {
  /** All texts, none, or those with certain values. */
  in: 'all' | 'some' | 'none';
  /** Slots that may hold the whole phrase by themselves. */
  slots: number[];
  /** Whether the phrase may also lie over the edge of a slot. */
  across: boolean;
}

const ALL: PhraseFit = { in: 'all', slots: [], across: false };
const NONE: PhraseFit = { in: 'none', slots: [], across: false };

/**
 * Whether and how the texts of a layout hold a phrase (in lower case): all of them, since a literal holds it;
 * none, since no way of laying the phrase over literals and slots fits; or some, depending on slot values.
 *
 * The middle case is a walk over all places at once, as a nondeterministic automaton is run: a place is a
 * character of a literal or a slot that may hold any number of characters of its alphabet. Where it is known
 * what sequences of three characters the values hold, a slot can only be passed by those.
 */
export function fitPhrase(layout: Layout, phrase: string, inside?: Inside): PhraseFit {
  const literals = layout.literals.map((literal) => literal.toLowerCase());
  if (literals.some((literal) => literal.includes(phrase))) return ALL;
  if (layout.types === '') return NONE;
  const characters = [...phrase];
  const slots: number[] = [];
  for (let slot = 0; slot < layout.types.length; slot++) {
    const alphabet = ALPHABETS[layout.types[slot]!];
    const holds = characters.every((character, at) =>
      alphabet ? alphabet.test(character) : at < 2 || !inside || inside(at),
    );
    if (holds) slots.push(slot);
  }
  const across = fitsAcross(layout, literals, characters, inside);
  return slots.length > 0 || across ? { in: 'some', slots, across } : NONE;
}

/** Whether some way of laying the phrase over literals and slots uses a literal, or more than one slot. */
function fitsAcross(
  layout: Layout,
  literals: readonly string[],
  phrase: readonly string[],
  inside?: Inside,
): boolean {
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
  // Where the walk stands, how many characters (up to two) it has used in the slot there, and whether it has
  // used anything but this one slot.
  const code = (place: number, used: number, left: number): number => (place * 3 + used) * 2 + left;
  let reached = new Set<number>();
  for (const place of places.keys()) reached.add(code(place, 0, 0));
  for (let at = 0; at < phrase.length; at++) {
    const character = phrase[at]!;
    const next = new Set<number>();
    for (const state of reached) {
      const left = state % 2;
      const used = Math.floor(state / 2) % 3;
      const from = Math.floor(state / 6);
      // A slot may be passed without using a character, so that the place behind it is reached as well.
      for (let place = from; place < places.length; place++) {
        const holds = places[place];
        if (!isSlot[place]) {
          if (holds === character) next.add(code(place + 1, 0, 1));
          break;
        }
        const here = place === from ? used : 0;
        const passes =
          holds === undefined ? here < 2 || !inside || inside(at) : (holds as RegExp).test(character);
        // What was used before this slot makes the phrase lie over its edge.
        if (passes) next.add(code(place, Math.min(2, here + 1), place !== from && at > 0 ? 1 : left));
      }
    }
    if (next.size === 0) return false;
    reached = next;
  }
  for (const state of reached) if (state % 2 === 1) return true;
  return false;
}

/** Whether the texts of a layout hold a phrase (in lower case): all of them, none, or some. */
export const phraseInLayout = (layout: Layout, phrase: string): 'all' | 'some' | 'none' =>
  fitPhrase(layout, phrase).in;
