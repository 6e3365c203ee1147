import { isLevelWord, levelCode } from '../records/levels.js';
import { momentAt } from './moments.js';

/** What a column in front of the text may hold. */
export const HEAD_KINDS = [
  'time',
  'letter level',
  'level',
  'bracket',
  'process',
  'number',
  'hex',
  'tag',
  'mark',
  'context',
] as const;
export type HeadKind = (typeof HEAD_KINDS)[number];

/** The columns with which the lines of a source open, in order, before their text. */
export type Head = readonly HeadKind[];

/** What one column holds in one line. */
export interface HeadValue {
  kind: HeadKind;
  /** Where it begins and ends in the line. */
  start: number;
  end: number;
  /** Microseconds since 1970, for a time. */
  micros?: number;
  /** Format of the time, where its characters can be rebuilt from the moment. */
  format?: string;
  /** Where the level word stands in it, for a level. */
  level?: string;
}

/** Words in the place of a level that say what part of an entry this is: they stay part of the text. */
const PARTS = new Set(['detail', 'hint', 'statement', 'context', 'query', 'location']);
const LEVEL = /[A-Za-z]{3,13}(?=[\])>:|,\s]|$)/y;
const LEVEL_IN_BRACKETS = /^(?:[\w.-]+:)?([A-Za-z]{3,13}?)\d?$/;
/** A line number or a class and a line: what is behind tells which statement wrote the line, and stays in the text. */
const LOCATED = /[\w$]\.[a-z]{1,5}[:(]\d|[a-z]@\d/;
const MATCHERS: Record<'letter level' | 'process' | 'number' | 'hex' | 'tag' | 'mark' | 'context', RegExp> = {
  'letter level': /[IWEFDVTC](?=\d{4} \d\d:)|[IWEFDVTC](?=[ /|])/y,
  process: /\d{3,}(?:[:#]\w+)?(?=[\s\]|,]|:\s)/y,
  number: /\d+(?=[\s\]|,]|:\s)/y,
  hex: /(?:0x[0-9a-f]+|[0-9a-f]{12,16})(?=[\s:\]|])/y,
  tag: /[A-Za-z][\w./-]*(?:\([^()\s]*\))?(?:<[^<>\s]*>)*(?:\[\d+\])?(?=:\s)/y,
  mark: /[-*.#!+>](?=\s)/y,
  context: /[^\s:]+(?=\s)/y,
};
/** What parts columns from one another, and from the text. */
const GAP = /[ \t]*(?:(?:[-|:,](?=\s)|[|:,\])>])[ \t]*)*[[(<]?/y;
const SPACE = /[ \t]*/y;
const PLAIN_GAP = /[ \t]*(?:(?:[-|:,](?=\s)|[|:,])[ \t]*)*/y;
const LONGEST_BRACKET = 100;

function skipped(line: string, at: number, gap: RegExp): number {
  gap.lastIndex = at;
  gap.exec(line);
  return gap.lastIndex;
}

/** Reads a column at a place of a line; undefined where the line has none of the kind there. */
function columnAt(line: string, from: number, kind: HeadKind, now: number): HeadValue | undefined {
  if (kind === 'bracket') return bracketAt(line, skipped(line, from, PLAIN_GAP));
  const gap = kind === 'time' || kind === 'level' ? GAP : kind === 'mark' ? SPACE : PLAIN_GAP;
  const at = skipped(line, from, gap);
  if (kind === 'time') {
    const found = momentAt(line, at, now);
    return (
      found && {
        kind,
        start: at,
        end: found.end,
        micros: found.micros,
        ...(found.format && { format: found.format }),
      }
    );
  }
  if (kind === 'level') {
    LEVEL.lastIndex = at;
    const word = LEVEL.exec(line)?.[0];
    return word !== undefined && isLevelWord(word)
      ? { kind, start: at, end: at + word.length, level: word }
      : undefined;
  }
  const matcher = MATCHERS[kind];
  matcher.lastIndex = at;
  const found = matcher.exec(line)?.[0];
  if (found === undefined) return undefined;
  const level = kind === 'letter level' || kind === 'mark';
  return { kind, start: at, end: at + found.length, ...(level && { level: found }) };
}

const CAPITALS = /[A-Z][A-Z0-9_]{2,12}(?=[\])>:|,\s])/y;

/** A word in capitals in the place of a level: some programs have levels of their own. */
function unknownLevelAt(line: string, from: number): HeadValue | undefined {
  const at = skipped(line, from, GAP);
  CAPITALS.lastIndex = at;
  const word = CAPITALS.exec(line)?.[0];
  return word === undefined ? undefined : { kind: 'level', start: at, end: at + word.length };
}

/** What stands in square brackets, without them; brackets inside belong to it. */
function bracketAt(line: string, at: number): HeadValue | undefined {
  if (line[at] !== '[') return undefined;
  let depth = 0;
  for (let end = at; end < line.length && end < at + LONGEST_BRACKET; end++) {
    if (line[end] === '[') depth++;
    else if (line[end] === ']' && --depth === 0) {
      const inside = line.slice(at + 1, end);
      if (LOCATED.test(inside)) return undefined;
      const level = LEVEL_IN_BRACKETS.exec(inside)?.[1];
      return {
        kind: 'bracket',
        start: at + 1,
        end,
        ...(level !== undefined && isLevelWord(level) && { level }),
      };
    }
  }
  return undefined;
}

/** Where reading goes on behind a column. */
const behind = (line: string, { kind, end }: HeadValue): number =>
  kind === 'bracket' ? end + 1 : line[end] === ']' || line[end] === ')' || line[end] === '>' ? end + 1 : end;

/** A line as its head tells it. */
export interface HeadRead {
  values: HeadValue[];
  /** Where the text begins. */
  text: number;
}

/** Reads the columns of a line; undefined for a line without the time, or else the level, that its head has. */
export function readHead(line: string, head: Head, now: number): HeadRead | undefined {
  const values: HeadValue[] = [];
  let at = 0;
  let opened = false;
  for (const kind of head) {
    const value = columnAt(line, at, kind, now) ?? (kind === 'level' ? unknownLevelAt(line, at) : undefined);
    if (!value) {
      // A name that only some lines have, in front of their level.
      if (kind === 'context') continue;
      break;
    }
    if (kind === 'context' && isLevelWord(line.slice(value.start, value.end))) continue;
    if (kind === 'level' && value.level !== undefined && PARTS.has(value.level.toLowerCase())) {
      values.push({ ...value, end: value.start });
      return { values, text: value.start };
    }
    values.push(value);
    at = behind(line, value);
    opened ||= kind === (head.includes('time') ? 'time' : 'level');
  }
  if (!opened) return undefined;
  return { values, text: textAt(line, at) };
}

const TEXT_GAP = /(?:[ \t]*(?:[-|:](?=\s)|[|:>]))?[ \t]*/y;
const textAt = (line: string, at: number): number => skipped(line, at, TEXT_GAP);

/** Share of lines that must have a column for it to be one. */
const MOST = 0.9;
/** Fewer lines do not tell what is a column. */
const LEAST_LINES = 3;
const MAX_COLUMNS = 8;
/** A further kind of head must open this share of the lines. */
const WORTH_A_HEAD = 0.03;
const MAX_HEADS = 4;

/**
 * Learns with which columns lines open: those that nearly all lines have, one after the other. Lines of
 * several kinds in one source have a head each, the commonest first. Lines without any are not looked at.
 */
export function learnHeads(lines: readonly string[], now: number): Head[] {
  const heads: Head[] = [];
  let rest = lines.filter((line) => line.trim() !== '' && !/^\s/.test(line));
  while (heads.length < MAX_HEADS && rest.length >= LEAST_LINES) {
    const head = learnHead(rest, now);
    if (!head) break;
    const left = rest.filter((line) => readHead(line, head, now) === undefined);
    const told = rest.length - left.length;
    if (told < LEAST_LINES || told < WORTH_A_HEAD * lines.length) break;
    heads.push(head);
    rest = left;
  }
  return heads;
}

function learnHead(lines: readonly string[], now: number): Head | undefined {
  const head: HeadKind[] = [];
  let alive = lines.map((line) => ({ line, at: 0 }));
  const told = (kind: HeadKind): boolean => head.includes(kind);
  while (head.length < MAX_COLUMNS) {
    let best: { kind: HeadKind; next: { line: string; at: number }[] } | undefined;
    for (const kind of HEAD_KINDS) {
      if ((kind === 'time' || kind === 'mark' || kind === 'tag') && told(kind)) continue;
      if (kind === 'tag' && told('level')) continue;
      if (kind === 'level' && (told('level') || told('letter level'))) continue;
      if (kind === 'context') continue;
      const next = alive.flatMap(({ line, at }) => {
        const value = columnAt(line, at, kind, now);
        return value ? [{ line, at: behind(line, value) }] : [];
      });
      // The first column parts the kinds of lines: those that open otherwise have a head of their own.
      const needed = head.length === 0 ? Math.max(LEAST_LINES, alive.length * 0.05) : alive.length * MOST;
      if (next.length >= needed && next.length > (best?.next.length ?? 0) * 1.05) best = { kind, next };
    }
    best ??= levelBehindName(alive, told, now);
    if (!best) break;
    if (best.kind === 'level' && best.next.some(({ at }) => at < 0)) head.push('context');
    head.push(best.kind);
    alive = best.next.filter(({ at }) => at >= 0);
    if (best.kind === 'mark') break;
  }
  if (!told('time') && !told('level')) return undefined;
  return trimmed(head);
}

/** A level with a name in front of it that only some lines have. */
function levelBehindName(
  alive: readonly { line: string; at: number }[],
  told: (kind: HeadKind) => boolean,
  now: number,
): { kind: HeadKind; next: { line: string; at: number }[] } | undefined {
  if (told('level') || told('letter level') || !told('time')) return undefined;
  const next = alive.flatMap(({ line, at }) => {
    const bare = columnAt(line, at, 'level', now);
    if (bare) return [{ line, at: behind(line, bare) }];
    const name = columnAt(line, at, 'context', now);
    const level = name && columnAt(line, name.end, 'level', now);
    return level ? [{ line, at: behind(line, level) }] : [];
  });
  if (next.length < alive.length * MOST) return undefined;
  return { kind: 'level', next: [...next, { line: '', at: -1 }] };
}

/** A tag behind time and level may as well be the beginning of the text. */
function trimmed(head: HeadKind[]): Head {
  const last = Math.max(head.indexOf('time'), head.indexOf('level'), head.indexOf('letter level'));
  let end = head.length;
  while (end > last + 1 && head[end - 1] === 'tag') end--;
  return head.slice(0, end);
}

/** Level code of a column that tells a level. */
export function headLevel({ kind, level }: HeadValue): number {
  if (level === undefined) return 0;
  return kind === 'letter level' || kind === 'mark' ? (SIGNS[level] ?? 0) : levelCode(level);
}

/** Letters and marks for a level: the heavier the mark, the more it matters. */
const SIGNS: Record<string, number> = {
  ...{ T: 1, V: 1, D: 2, I: 3, W: 4, E: 5, C: 6, F: 6 },
  ...{ '.': 1, '-': 2, '*': 3, '#': 4 },
};
