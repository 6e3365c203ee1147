import { Random } from './random.js';
import { DOING, DONE, FIRST_NAMES, HOW, KINDS, madeUp, NOUNS } from './words.js';

/** A line of text with the template that made it: the truth a grouping is held against. */
export interface LabelledText {
  source: string;
  label: string;
  text: string;
}

/** A piece of a template: gives its text for one line. */
type Piece = () => string;

interface Template {
  label: string;
  source: string;
  kind: Kind;
  line: () => string;
}

/** What makes a template hard to see through. */
export const KINDS_OF_TEXT = [
  'plain',
  'constant',
  'twins',
  'optional tail',
  'list',
  'enumeration',
  'mid-sentence word',
  'two words',
  'key=value',
  'JSON inside',
  'quoted text',
  'first word',
  'glued unit',
  'leading address',
  'free text',
  'path',
  'trace',
] as const;
export type Kind = (typeof KINDS_OF_TEXT)[number];

const capital = (word: string): string => word[0]!.toUpperCase() + word.slice(1);

/** Draws templates of every kind and lines from them, anew for each seed. */
export class TextDraw {
  readonly templates: Template[] = [];
  private readonly random: Random;
  private readonly said = new Set<string>();

  constructor(seed: string, templates: number, sources: number) {
    this.random = new Random(seed);
    const names = Array.from({ length: sources }, () => this.name(3));
    while (this.templates.length < templates) {
      const kind = this.random.pick(KINDS_OF_TEXT);
      this.add(kind, this.random.pick(names));
    }
  }

  /** Lines of all templates, common and rare ones, in random order. */
  lines(count: number): LabelledText[] {
    const { random, templates } = this;
    // Shares fall as in real logs: a few templates make most lines, many make a handful.
    const weights = templates.map(() => 1 / (1 + random.next() * templates.length) ** 1.1);
    const total = weights.reduce((sum, weight) => sum + weight, 0);
    const lines: LabelledText[] = [];
    templates.forEach(({ source, label, line }, at) => {
      const share = Math.max(3, Math.round((weights[at]! / total) * count));
      for (let made = 0; made < share; made++) lines.push({ source, label, text: line() });
    });
    for (let at = lines.length - 1; at > 0; at--) {
      const other = random.int(0, at);
      [lines[at], lines[other]] = [lines[other]!, lines[at]!];
    }
    return lines;
  }

  kindOf(label: string): Kind {
    return this.templates.find((template) => template.label === label)!.kind;
  }

  private name(syllables: number): string {
    return madeUp((of) => this.random.pick(of), syllables);
  }

  private add(kind: Kind, source: string): void {
    const label = `T${this.templates.length}`;
    if (kind === 'twins') {
      // Two statements of a program that differ in their verb only.
      const [first, second] = this.random.some(DONE, 2) as [string, string];
      const noun = this.random.pick(NOUNS);
      const tail = this.slots(this.random.int(1, 2));
      if (this.said.has(noun + first) || this.said.has(noun + second)) return;
      this.said.add(noun + first).add(noun + second);
      [first, second].forEach((verb, at) =>
        this.templates.push({
          label: `${label}${'ab'[at]!}`,
          source,
          kind,
          line: () => `${capital(noun)} ${verb} ${tail()}`,
        }),
      );
      return;
    }
    const line = this.template(kind);
    if (line) this.templates.push({ label, source, kind, line });
  }

  /** The constant part of a template; each is given out once, so that no two templates are the same sentence. */
  private sentence(): string | undefined {
    const { random } = this;
    const noun = (): string => random.pick(NOUNS);
    const forms = [
      () => `${noun()} ${random.pick(DONE)}`,
      () => `${random.pick(DOING)} ${random.pick(KINDS)} ${noun()}`,
      () => `${random.pick(KINDS)} ${noun()} ${random.pick(DONE)} by ${noun()}`,
      () =>
        `could not ${random.pick(DOING).replace(/ing$/, '')} ${noun()} of ${random.pick(KINDS)} ${noun()}`,
      () => `${noun()} ${noun()} ${random.pick(DONE)} ${random.pick(HOW)}`,
      () => `${noun()}: ${random.pick(DOING)} ${noun()}`,
      () => `[${noun()}] ${random.pick(KINDS)} ${noun()} ${random.pick(DONE)}`,
      () => `${capital(noun())}${capital(noun())}.${random.pick(DOING)}: ${random.pick(KINDS)} ${noun()}`,
      () => `${random.pick(DONE)} ${random.pick(KINDS)} ${noun()} while ${random.pick(DOING)} ${noun()}`,
    ];
    const text = random.pick(forms)();
    if (this.said.has(text)) return undefined;
    this.said.add(text);
    return random.chance(0.5) ? capital(text) : text;
  }

  private identifier(): Piece {
    const { random } = this;
    const word = this.name(2);
    return random.pick<Piece>([
      () => String(random.int(1, 10 ** random.int(1, 7))),
      () => String(random.int(1, 999)),
      () => random.hex(random.pick([8, 16, 32])),
      () => `${random.hex(8)}-${random.hex(4)}-${random.hex(4)}-${random.hex(4)}-${random.hex(12)}`,
      () => `${word}-${random.int(1, 400)}`,
      () => `${word.slice(0, 2).toUpperCase()}-${random.int(10_000, 99_999)}`,
      () => (random.next() * 1000).toFixed(2),
    ]);
  }

  private measured(): Piece {
    const { random } = this;
    const unit = random.pick(['ms', 's', 'kB', 'MiB', '%', 'us']);
    return () => (random.chance(0.5) ? random.int(1, 5000) : (random.next() * 50).toFixed(1)) + unit;
  }

  private ip(): Piece {
    const { random } = this;
    return random.chance(0.15)
      ? () => `[2001:db8::${random.hex(random.int(1, 4))}:${random.hex(random.int(1, 4))}]`
      : () => `10.${random.int(0, 255)}.${random.int(0, 255)}.${random.int(1, 254)}`;
  }

  /** A few plain slots with the words that lead to them. */
  private slots(count: number): Piece {
    const { random } = this;
    const pieces = Array.from({ length: count }, (): Piece => {
      const lead = random.pick([
        'for',
        'id',
        'in',
        'after',
        'with',
        'to',
        'from',
        'at',
        'of',
        random.pick(NOUNS),
      ]);
      const value = random.pick([() => this.identifier(), () => this.measured(), () => this.ip()])();
      return random.pick<Piece>([
        () => `${lead} ${value()}`,
        () => `${lead}=${value()}`,
        () => `(${lead} ${value()})`,
        () => `${lead}: ${value()}`,
      ]);
    });
    return () => pieces.map((piece) => piece()).join(' ');
  }

  private template(kind: Exclude<Kind, 'twins'>): Piece | undefined {
    const { random } = this;
    const head = this.sentence();
    if (head === undefined) return undefined;
    const noun = random.pick(NOUNS);
    const other = random.pick(NOUNS);
    const tail = this.slots(random.int(1, 3));
    switch (kind) {
      case 'plain':
        return () => `${head} ${tail()}`;
      case 'constant':
        return () => head;
      case 'optional tail': {
        const extra = random.pick<Piece>([
          () => ` (attempt ${random.int(2, 9)})`,
          () => `, ${noun} ${random.int(1, 90)} left`,
          () => ` [${noun}=${random.hex(8)}]`,
          () => ` - ${noun} ${other} in ${random.int(1, 900)}ms`,
          () => `; ${random.pick(KINDS)} after ${random.int(1, 60)}s`,
        ]);
        const often = 0.15 + random.next() * 0.7;
        return () => `${head} ${tail()}${random.chance(often) ? extra() : ''}`;
      }
      case 'list': {
        const item = this.identifier();
        const [open, close] = random.pick([
          ['[', ']'],
          ['{', '}'],
          ['(', ')'],
          ['', ''],
        ] as const);
        const comma = random.pick([', ', ',', ' ']);
        const separator = open === '' ? ', ' : comma;
        return () =>
          `${head} ${noun}s ${open}${Array.from({ length: random.int(1, 7) }, item).join(separator)}${close}`;
      }
      case 'enumeration': {
        const values = random.some(random.pick([KINDS, DONE, NOUNS]), random.int(3, 7));
        return random.pick<Piece>([
          () => `${head} ${noun} is ${random.pick(values)} ${tail()}`,
          () => `${head} ${noun} state ${random.pick(values)} ${tail()}`,
          () => `${head} in mode ${random.pick(values)}`,
          () => `${head} ${tail()} with ${noun} ${random.pick(values).toUpperCase()}`,
        ]);
      }
      case 'mid-sentence word': {
        const values = this.people(random.int(8, 150));
        return random.pick<Piece>([
          () => `${head} for ${random.pick(values)} on ${noun}`,
          () => `${head} by user ${random.pick(values)} ${tail()}`,
          () => `${noun} ${random.pick(values)} ${head} ${tail()}`,
        ]);
      }
      case 'two words': {
        const from = this.people(random.int(5, 60));
        const to = this.people(random.int(5, 60));
        return random.pick<Piece>([
          () => `${head} from ${random.pick(from)} to ${random.pick(to)}`,
          () => `${noun} ${random.pick(from)} ${head} with ${random.pick(to)} ${tail()}`,
        ]);
      }
      case 'key=value': {
        const keys = random.some(NOUNS, random.int(3, 6));
        const words = random.some(KINDS, random.int(2, 5));
        const values = keys.map((): Piece =>
          random.chance(0.4) ? () => random.pick(words) : this.identifier(),
        );
        const drop = random.chance(0.5) ? 0.25 : 0;
        return () =>
          `${head} ${keys
            .map((key, at) => (at > 0 && random.chance(drop) ? '' : `${key}=${values[at]!()}`))
            .filter((pair) => pair !== '')
            .join(' ')}`;
      }
      case 'JSON inside': {
        const keys = random.some(NOUNS, random.int(2, 5));
        const words = random.some(KINDS, 4);
        const values = keys.map((): (() => unknown) =>
          random.chance(0.5) ? () => random.pick(words) : () => random.int(0, 5000),
        );
        const drop = random.chance(0.5) ? 0.3 : 0;
        const spaced = random.chance(0.3);
        return () => {
          const body: Record<string, unknown> = {};
          keys.forEach((key, at) => {
            if (at === 0 || !random.chance(drop)) body[key] = values[at]!();
          });
          const json = JSON.stringify(body);
          return `${head} ${spaced ? json.replaceAll(':', ': ').replaceAll(',', ', ') : json}`;
        };
      }
      case 'quoted text': {
        const quote = random.pick(['"', "'"]);
        return () => `${head} ${quote}${this.prose(1, 5)}${quote} ${tail()}`;
      }
      case 'first word': {
        const values = random.chance(0.5)
          ? this.people(random.int(6, 80))
          : this.people(12).map((name) => `${name}-${noun}`);
        return () => `${random.pick(values)} ${head} ${tail()}`;
      }
      case 'glued unit': {
        const unit = random.pick(['conn', 'x', 'pkts', 'rows', 'req', 'pts']);
        return () =>
          `${head} ${random.int(1, 4000)}${unit} ${noun} ${random.int(1, 99)}${random.pick(['of'])}${random.int(100, 120)}`;
      }
      case 'leading address': {
        const ip = this.ip();
        const hosts = this.people(20).map((name) => `${name}.${this.name(2)}.example`);
        return random.pick<Piece>([
          () => `${ip()}:${random.int(1024, 65_000)} ${head} ${tail()}`,
          () => `${random.pick(hosts)}:${random.int(80, 9000)} ${head}`,
          () => `${ip()} - ${head} ${tail()}`,
        ]);
      }
      case 'free text':
        return random.pick<Piece>([
          () => `${head}: ${this.prose(2, 9)}`,
          () => `${head} ${random.int(1, 90_000)} says ${this.prose(2, 7)}`,
        ]);
      case 'path': {
        const roots = random.some(NOUNS, 3);
        const folder = (): string =>
          Array.from({ length: random.int(1, 4) }, () => random.pick(NOUNS)).join('/');
        return () =>
          `${head} /${random.pick(roots)}/${folder()}/${this.name(2)}.${random.pick(['log', 'dat', 'json'])} ${tail()}`;
      }
      case 'trace': {
        const packages = random.some(NOUNS, 4);
        return () =>
          `${head} ${tail()}\n${Array.from(
            { length: random.int(2, 6) },
            () =>
              `    at ${random.pick(packages)}.${random.pick(DOING)} (${random.pick(packages)}.js:${random.int(1, 900)}:${random.int(1, 80)})`,
          ).join('\n')}`;
      }
    }
  }

  private people(count: number): string[] {
    const names = new Set(this.random.some(FIRST_NAMES, Math.min(count, FIRST_NAMES.length)));
    while (names.size < count) names.add(this.name(this.random.int(2, 4)));
    return [...names];
  }

  private prose(from: number, to: number): string {
    const words = [
      ...NOUNS,
      ...DONE,
      ...KINDS,
      ...HOW,
      'the',
      'a',
      'and',
      'please',
      'not',
      'was',
      'has',
      'we',
      'again',
    ];
    return Array.from({ length: this.random.int(from, to) }, () => this.random.pick(words)).join(' ');
  }
}
