/**
 * A regular expression as the engine of the language takes it. That engine is some thirty times as fast as automata in
 * script, but tries one way after another (backtracking), which may take for ever; so it is used only for patterns of a plain
 * form and texts so short that the number of ways is bounded.
 */
export interface QuickSearch {
  expression: RegExp;
  /** Characters that a text may have at most. */
  longest: number;
}

/** Ways in which the engine may try a text at most: about a thousandth of a second. */
const MOST_WAYS = 1_000_000;
/** Where only shorter texts could be searched, it is not worth while. */
const WORTH = 24;

/**
 * A pattern of plain characters, classes, groups, alternatives and repetitions as the engine of the language takes it,
 * with the same meaning; undefined for any other, and for those that may be tried in too many ways.
 */
export function quickSearchOf(pattern: string, ignoreCase = false): QuickSearch | undefined {
  const reader = new PatternReader(pattern, ignoreCase);
  const whole = reader.alternatives();
  if (!whole || !reader.atEnd) return undefined;
  // From each character on, in each of the ways, with each length of what may have any length.
  const longest = Math.floor((MOST_WAYS / whole.ways) ** (1 / (whole.anyLength + 1)) + 1e-9);
  if (longest < WORTH) return undefined;
  return { expression: new RegExp(whole.source, ignoreCase ? 'iu' : 'u'), longest };
}

/** A part of a pattern, and in how many ways it may be tried. */
interface Part {
  source: string;
  ways: number;
  /** Repetitions without an end. */
  anyLength: number;
}

const ONE_WAY = { ways: 1, anyLength: 0 };
/** Characters without a meaning of their own; all others are refused. */
const PLAIN = /[^\\^$.|?*+()[\]{}]/u;
/** What a backslash makes of letters; white space is that of the automata. */
const CLASSES: Record<string, { inside: string; source: string }> = {
  d: { inside: '0-9', source: '[0-9]' },
  D: { inside: '', source: '[^0-9]' },
  w: { inside: '0-9A-Za-z_', source: '[0-9A-Za-z_]' },
  W: { inside: '', source: '[^0-9A-Za-z_]' },
  s: { inside: '\\t\\n\\f\\r ', source: '[\\t\\n\\f\\r ]' },
  S: { inside: '', source: '[^\\t\\n\\f\\r ]' },
};
const CONTROLS = 'tnrf';
const REPEAT = /^\{(\d{1,4})(,?)(\d{0,4})\}/;

const codeOf = (character: string): string => `\\u{${character.codePointAt(0)!.toString(16)}}`;
/** Characters that stand for themselves behind a backslash; others do not, or are not taken. */
const isPunctuation = (character: string): boolean => /^[!-/:-@[-^`{-~]$/.test(character);

/** Reads a pattern from the left to the right; what it does not know it refuses, by giving undefined. */
class PatternReader {
  private readonly characters: string[];
  private at = 0;

  constructor(
    pattern: string,
    private readonly ignoreCase: boolean,
  ) {
    this.characters = [...pattern];
  }

  get atEnd(): boolean {
    return this.at === this.characters.length;
  }

  private get next(): string | undefined {
    return this.characters[this.at];
  }

  private take(character: string): boolean {
    if (this.next !== character) return false;
    this.at++;
    return true;
  }

  alternatives(): Part | undefined {
    const all: Part[] = [];
    do {
      const part = this.sequence();
      if (!part) return undefined;
      all.push(part);
    } while (this.take('|'));
    return {
      source: all.map(({ source }) => source).join('|'),
      ways: all.reduce((sum, { ways }) => sum + ways, 0),
      anyLength: Math.max(...all.map(({ anyLength }) => anyLength)),
    };
  }

  private sequence(): Part | undefined {
    let [source, ways, anyLength] = ['', 1, 0];
    while (!this.atEnd && this.next !== '|' && this.next !== ')') {
      const atom = this.atom();
      const part = atom && this.repeated(atom);
      if (!part) return undefined;
      source += part.source;
      ways *= part.ways;
      anyLength += part.anyLength;
    }
    return { source, ways, anyLength };
  }

  private atom(): Part | undefined {
    const character = this.characters[this.at++]!;
    if (character === '(') return this.group();
    if (character === '[') return this.characterClass();
    if (character === '.') return { source: '[^\\n]', ...ONE_WAY };
    if (character === '^' || character === '$') return this.fixed(character);
    if (character === '\\') return this.escaped();
    return PLAIN.test(character) ? { source: codeOf(character), ...ONE_WAY } : undefined;
  }

  /** A place between characters; not to be repeated. */
  private fixed(source: string): Part | undefined {
    return '*+?{'.includes(this.next ?? ' ') ? undefined : { source, ...ONE_WAY };
  }

  private group(): Part | undefined {
    if (this.take('?') && !this.take(':')) return undefined;
    const part = this.alternatives();
    return part && this.take(')') ? { ...part, source: `(?:${part.source})` } : undefined;
  }

  private escaped(): Part | undefined {
    const character = this.characters[this.at++];
    if (character === undefined) return undefined;
    const known = CLASSES[character];
    if (known) return { source: known.source, ...ONE_WAY };
    // In whatever case, the two do not take the same for letters.
    if (character === 'b') return this.ignoreCase ? undefined : this.fixed('\\b');
    if (CONTROLS.includes(character)) return { source: `\\${character}`, ...ONE_WAY };
    return isPunctuation(character) ? { source: codeOf(character), ...ONE_WAY } : undefined;
  }

  private characterClass(): Part | undefined {
    let source = this.take('^') ? '[^' : '[';
    // A bracket that comes first stands for itself.
    if (this.next === ']') return undefined;
    while (!this.take(']')) {
      const first = this.classMember();
      if (!first) return undefined;
      source += first.source;
      const isRange = this.next === '-' && this.characters[this.at + 1] !== ']';
      if (!isRange) continue;
      this.at++;
      const last = this.classMember();
      if (!last || first.point === undefined || last.point === undefined || last.point < first.point)
        return undefined;
      source += `-${last.source}`;
    }
    return { source: `${source}]`, ...ONE_WAY };
  }

  /** A character of a class, or several by one letter. */
  private classMember(): { source: string; point?: number } | undefined {
    const character = this.characters[this.at++];
    if (character === undefined || character === '[') return undefined;
    if (character !== '\\') return { source: codeOf(character), point: character.codePointAt(0)! };
    const escaped = this.characters[this.at++];
    if (escaped === undefined) return undefined;
    const inside = CLASSES[escaped]?.inside;
    if (inside) return { source: inside };
    if (CONTROLS.includes(escaped)) return { source: `\\${escaped}` };
    return isPunctuation(escaped) ? { source: codeOf(escaped), point: escaped.codePointAt(0)! } : undefined;
  }

  /** What stands before, repeated as is said behind it. */
  private repeated(atom: Part): Part | undefined {
    const { source, ways, anyLength } = atom;
    if (this.take('?')) return this.once({ source: `${source}?`, ways: ways + 1, anyLength });
    const endless = this.next === '*' || this.next === '+';
    const counted = REPEAT.exec(this.characters.slice(this.at, this.at + 12).join(''));
    if (!endless && !counted) return atom;
    // Of what may be tried in several ways, repetitions multiply them.
    if (ways > 1 || anyLength > 0) return undefined;
    if (endless)
      return this.once({ source: `${source}${this.characters[this.at++]!}`, ways: 1, anyLength: 1 });
    const [all, least, comma, most] = counted as unknown as [string, string, string, string];
    this.at += all.length;
    if (comma === '') return this.once({ source: `${source}${all}`, ways: 1, anyLength: 0 });
    if (most === '') return this.once({ source: `${source}${all}`, ways: 1, anyLength: 1 });
    const choices = Number(most) - Number(least) + 1;
    return choices < 1 ? undefined : this.once({ source: `${source}${all}`, ways: choices, anyLength: 0 });
  }

  /** A repetition, which is not to be repeated again; whether it takes little or much first makes no difference to whether there is a match. */
  private once(part: Part): Part | undefined {
    this.take('?');
    return '*+?{'.includes(this.next ?? ' ') ? undefined : part;
  }
}
