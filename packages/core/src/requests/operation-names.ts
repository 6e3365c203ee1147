/** What stands in a template for a part that is another in each name. */
export const ANY_PART = '*';

/** Different words at one place of names that are alike before it; beyond so many, the place is no word but a value. */
const MOST_WORDS = 40;
/** Names that are kept in mind, and places where words were told apart. */
const MAX_NAMES = 50_000;
const MAX_PLACES = 20_000;
/** A name that has more parts is a text; what is behind them is left out. */
const MAX_PARTS = 32;

const SEPARATORS = /([/\s?&=,;:()[\]<>"'|]+)/;
const UUID = /^[\da-f]{8}-[\da-f]{4}-[\da-f]{4}-[\da-f]{4}-[\da-f]{12}$/i;
const HEX = /^(?:0x)?(?=.*\d)[\da-f]{8,}$/i;
const NUMBER = /^[+-]?\d+(?:[.,]\d+)*%?$/;
const ADDRESS = /^[^@]+@[^@]+\.[a-z]+$|^\d{1,3}(?:\.\d{1,3}){3}$/i;
/** Words with a digit or two are names, such as v1, http2 or us-east-1; three are the number of something. */
const MOST_DIGITS = 2;

/** True for a part of a name that tells which one of many is meant, by its form alone. */
function isIdentifier(part: string): boolean {
  if (NUMBER.test(part) || UUID.test(part) || HEX.test(part) || ADDRESS.test(part)) return true;
  let digits = 0;
  for (const character of part) if (character >= '0' && character <= '9') digits++;
  return digits > MOST_DIGITS;
}

/** The words met at one place, and what follows each; none once they are too many. */
interface Place {
  words: Map<string, Place> | undefined;
  /** What follows where the word does not matter, and where there is none. */
  any?: Place;
  none?: Place;
}

const newPlace = (): Place => ({ words: new Map() });

/**
 * Turns names of operations that carry what they are about (`GET /account/17/orders/a3f`) into those of operations
 * (`GET /account/*\/orders/*`). A part of a name becomes any part where its form says that it is an identifier, or where
 * too many different words have been met behind the same beginning: a tree of a bounded number of children, as log
 * parsers of a fixed depth use (He et al. 2017). What was learnt stays: a place that holds values does so from then on.
 */
export class OperationNames {
  private readonly services = new Map<string, Place>();
  private known = new Map<string, string>();
  private places = 0;

  /** The template of a name. */
  of(service: string, name: string): string {
    const key = `${service}\u0000${name}`;
    let template = this.known.get(key);
    if (template === undefined) {
      template = this.templateOf(service, name);
      if (this.known.size >= MAX_NAMES) this.known = new Map();
      this.known.set(key, template);
    }
    return template;
  }

  /** Takes note of names before any of them is asked for, so that those of one time become one template. */
  learn(names: Iterable<readonly [service: string, name: string]>): void {
    const before = this.places;
    for (const [service, name] of names) this.templateOf(service, name);
    // A place that has come to hold values makes other templates of names that are known.
    if (this.places !== before) this.known = new Map();
  }

  private templateOf(service: string, name: string): string {
    let place = this.startOf(service);
    const parts = name.split(SEPARATORS);
    const most = 2 * MAX_PARTS;
    let template = '';
    for (let at = 0; at < parts.length && at < most; at += 2) {
      const part = parts[at]!;
      const separator = parts[at + 1] ?? '';
      const next = this.nextOf(part, place);
      template += (next === place.any ? ANY_PART : part) + separator;
      place = next;
    }
    return parts.length > most ? `${template}${ANY_PART}` : template;
  }

  private startOf(service: string): Place {
    let start = this.services.get(service);
    if (!start) this.services.set(service, (start = newPlace()));
    return start;
  }

  private nextOf(part: string, place: Place): Place {
    if (part === '') return (place.none ??= newPlace());
    return isIdentifier(part) ? (place.any ??= newPlace()) : this.wordOf(place, part);
  }

  private wordOf(place: Place, word: string): Place {
    const { words } = place;
    const known = words?.get(word);
    if (known) return known;
    if (words && words.size < MOST_WORDS && this.places < MAX_PLACES) {
      const next = newPlace();
      words.set(word, next);
      this.places++;
      return next;
    }
    // Whatever was met here may be followed by anything from now on.
    if (words) this.places++;
    place.words = undefined;
    return (place.any ??= newPlace());
  }
}
