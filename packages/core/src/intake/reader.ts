import { levelCode } from '../records/levels.js';
import {
  encodeValue,
  type FormatName,
  type Hole,
  type Quote,
  type Shape,
  type ShapeBook,
} from '../records/shape.js';
import { type Timestamp, timestampOfValue } from '../records/timestamps.js';
import { JOINED_FIELDS } from '../records/fields.js';
import { PACKED, packFields } from '../segments/packed.js';
import type { CsvColumns } from './csv.js';

/** What a reader makes of one line. */
export interface ParsedLine {
  shape: Shape;
  /** Values in the order of the shape's holes; empty at holes that are rebuilt from time or text. */
  values: string[];
  /** Values of the shape's shadows. */
  shadows: string[];
  /** Microseconds since 1970, NaN when the line tells no time. */
  micros: number;
  /** Level code; 0 when the line gives none. */
  level: number;
  text: string;
  /** False when the parts do not give the line back to the character, so that it must be kept beside them. */
  exact: boolean;
}

/** Reads lines of one format. Returns undefined for a line that is not of its format. */
export interface Reader {
  readonly format: FormatName;
  /** Takes a line that names the columns of those behind it; false for any other. */
  header?(line: string): boolean;
  /** The columns that its lines have, for a format whose lines do not name them. */
  readonly columns?: CsvColumns | undefined;
  read(line: string): ParsedLine | undefined;
}

/** The parts that a reader cuts a line into, before their meaning is settled. One instance serves line after line. */
export class Cuts {
  literals: string[] = [];
  names: string[] = [];
  quotes: Quote[] = [];
  values: string[] = [];
  /** False once a value was met whose characters its decoded form does not give back. */
  exact = true;
  private line = '';
  private from = 0;

  begin(line: string): void {
    this.line = line;
    this.literals = [];
    this.names = [];
    this.quotes = [];
    this.values = [];
    this.exact = true;
    this.from = 0;
  }

  /** Cuts out the value between two indices. */
  value(name: string, start: number, end: number, quote: Quote, decode?: (raw: string) => string): void {
    const raw = this.line.slice(start, end);
    let value = raw;
    if (decode) {
      value = decode(raw);
      if (encodeValue(value, quote) !== raw || !value.isWellFormed()) this.exact = false;
      value = value.toWellFormed();
    }
    this.literals.push(this.line.slice(this.from, start));
    this.names.push(name);
    this.quotes.push(quote);
    this.values.push(value);
    this.from = end;
  }

  end(): void {
    this.literals.push(this.line.slice(this.from));
  }
}

/** What the cuts of lines with the same literals mean; settled once, when such a line is first met. */
interface Family {
  literals: string[];
  names: string[];
  quotes: Quote[];
  time: number;
  level: number;
  text: number;
  shapes: Map<string, Shape>;
}

/** Which of several fields that could be the text is it: the one that comes first here. */
const TEXT_CHOICE = ['text', 'message', 'msg', 'body', 'event'];
const MAX_FAMILIES = 20_000;
const RECENT = 4;

/**
 * Turns cuts into parsed lines: settles which value is time, level and text, and finds the shape.
 * Where no value is the text, the whole line is, and its fields are kept as shadows.
 */
export class Settler {
  private readonly families = new Map<string, Family>();
  private readonly recent: Family[] = [];
  private turn = 0;

  constructor(
    private readonly format: FormatName,
    private readonly book: ShapeBook,
    private readonly nameOf: (raw: string) => string,
  ) {}

  settle(
    line: string,
    cuts: Cuts,
    timeOf: (value: string) => Timestamp | undefined = timestampOfValue,
  ): ParsedLine | undefined {
    const family = this.familyOf(cuts, timeOf);
    const stamp = family.time < 0 ? undefined : timeOf(cuts.values[family.time]!);
    const shape = this.shapeOf(family, cuts, stamp?.format, stamp !== undefined);
    const micros = stamp ? stamp.micros : NaN;
    const level = family.level < 0 ? 0 : levelCode(cuts.values[family.level]!);
    if (!shape) return this.packed(line, family, cuts, micros, level);
    if (family.text < 0) {
      return { shape, values: [''], shadows: cuts.values, micros, level, text: line, exact: true };
    }
    const text = cuts.values[family.text]!;
    const values = cuts.values;
    values[family.text] = '';
    if (stamp?.format !== undefined) values[family.time] = '';
    return { shape, values, shadows: [], micros, level, text, exact: cuts.exact };
  }

  /** A line whose fields are too many to have a column each: all but those that records are joined by are packed. */
  private packed(
    line: string,
    family: Family,
    { values }: Cuts,
    micros: number,
    level: number,
  ): ParsedLine | undefined {
    const own: string[] = [];
    const ownValues: string[] = [];
    const names: string[] = [];
    const others: string[] = [];
    for (const [index, name] of family.names.entries()) {
      if (index === family.text || index === family.time) continue;
      const joined = JOINED_FIELDS.has(name);
      (joined ? own : names).push(name);
      (joined ? ownValues : others).push(values[index]!);
    }
    const shape = this.book.internPacked({
      format: this.format,
      literals: ['', ''],
      holes: [{ name: 'text', quote: 'none' }],
      shadows: [...own, PACKED],
    });
    if (!shape) return undefined;
    const text = family.text < 0 ? line : values[family.text]!;
    const shadows = [...ownValues, packFields(names, others)];
    return { shape, values: [''], shadows, micros, level, text, exact: text === line };
  }

  private familyOf(cuts: Cuts, timeOf: (value: string) => Timestamp | undefined): Family {
    // Most lines have the envelope of one of the few before them; comparing is cheaper than building a key.
    for (const family of this.recent) if (sameStrings(family.literals, cuts.literals)) return family;
    const key = cuts.literals.join('\u0000');
    let family = this.families.get(key);
    if (!family) {
      if (this.families.size >= MAX_FAMILIES) this.families.clear();
      family = this.found(cuts, timeOf);
      this.families.set(key, family);
    }
    this.recent[this.turn++ % RECENT] = family;
    return family;
  }

  private found(cuts: Cuts, timeOf: (value: string) => Timestamp | undefined): Family {
    const mapped = cuts.names.map(this.nameOf);
    const textAt = TEXT_CHOICE.map((choice) =>
      cuts.names.findIndex((raw, index) => mapped[index] === 'text' && raw.toLowerCase() === choice),
    ).find((index) => index >= 0);
    const time = mapped.findIndex(
      (name, index) => name === 'time' && timeOf(cuts.values[index]!) !== undefined,
    );
    const used = new Set<string>();
    const names = mapped.map((name, index) => {
      const special = name === 'time' ? index === time : name !== 'text' || index === textAt;
      let unique = special ? name : cuts.names[index]!;
      if (unique === PACKED) unique += '#2';
      // Special names belong to one value only; keys may be given twice.
      if (!special && (unique === 'time' || unique === 'text')) unique += '#2';
      for (let copy = 2; used.has(unique); copy++) unique = `${cuts.names[index]!}#${copy}`;
      used.add(unique);
      return unique;
    });
    return {
      literals: cuts.literals,
      names,
      quotes: cuts.quotes,
      time,
      level: names.indexOf('level'),
      text: textAt ?? -1,
      shapes: new Map(),
    };
  }

  private shapeOf(
    family: Family,
    cuts: Cuts,
    timeFormat: string | undefined,
    timed: boolean,
  ): Shape | undefined {
    const variant = timeFormat ?? (timed ? 'text' : 'none');
    let shape = family.shapes.get(variant);
    if (shape) return shape;
    if (family.text < 0) {
      shape = this.book.intern({
        format: this.format,
        literals: ['', ''],
        holes: [{ name: 'text', quote: 'none' }],
        shadows: family.names,
      });
    } else {
      const holes = family.names.map((name, index): Hole => {
        const quote = family.quotes[index]!;
        return index === family.time && timeFormat !== undefined
          ? { name, quote, format: timeFormat }
          : { name, quote };
      });
      shape = this.book.intern({ format: this.format, literals: cuts.literals, holes, shadows: [] });
    }
    if (shape) family.shapes.set(variant, shape);
    return shape;
  }
}

function sameStrings(a: readonly string[], b: readonly string[]): boolean {
  if (a.length !== b.length) return false;
  for (let index = 0; index < a.length; index++) if (a[index] !== b[index]) return false;
  return true;
}
