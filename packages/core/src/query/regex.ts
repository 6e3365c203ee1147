import { RE2JS } from 're2js';
import { checkRegexesWith } from './expression.js';
import { type QuickSearch, quickSearchOf } from './quick-search.js';

/** A longer regular expression is refused. */
const MAX_LENGTH = 1000;

/** Time that the quick engine may take for a text, in milliseconds, before that counts against it. */
const USUAL_MS = 0.02;
/** With so much more taken than is usual, it is not used any longer. */
const PATIENCE_MS = 250;

/**
 * A regular expression that runs in time linear in the text (automata as of Thompson 1968 and Cox 2007, by
 * re2js), or where that is sure to be no longer by the language's own engine, with the literal texts that any match must hold, so that most texts need not be run through it.
 */
export interface Matcher {
  matches(text: string): boolean;
  /** In the case in which they stand; every match holds them all. */
  literals: readonly string[];
  ignoreCase: boolean;
}

export function matcherOf(pattern: string, ignoreCase: boolean): Matcher {
  const compiled = RE2JS.compile(pattern, ignoreCase ? RE2JS.CASE_INSENSITIVE : 0);
  const literals = literalsOf(pattern);
  // A pattern without any operator is a search for its characters.
  const plain = /^[\w \-:=,;'"%@#&<>~`!]+$/.test(pattern) && !ignoreCase;
  const sure = (text: string): boolean => compiled.matcher(text).find();
  const quick = quickSearchOf(pattern, ignoreCase);
  return {
    matches: plain ? (text) => text.includes(pattern) : quick ? quickly(quick, sure) : sure,
    literals: plain ? [pattern] : literals,
    ignoreCase,
  };
}

/** Short texts by the quick engine, for as long as that is quick; all others by the sure one. */
function quickly({ expression, longest }: QuickSearch, sure: (text: string) => boolean) {
  let excess = 0;
  return (text: string): boolean => {
    if (text.length > longest || excess > PATIENCE_MS) return sure(text);
    const began = performance.now();
    const found = expression.test(text);
    excess = Math.max(0, excess + performance.now() - began - USUAL_MS);
    return found;
  };
}

checkRegexesWith((pattern) => {
  if (pattern.length > MAX_LENGTH) return `A regular expression may have at most ${MAX_LENGTH} characters.`;
  try {
    RE2JS.compile(pattern);
    return undefined;
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error);
    return `This is no regular expression that runs in linear time: ${message}.`;
  }
});

/**
 * Texts of three characters and more that every match of a regular expression holds: runs of plain
 * characters outside of groups, classes, alternatives and repetitions. May miss some; never names one that
 * a match could lack.
 */
export function literalsOf(pattern: string): string[] {
  // Flags in the pattern, and alternatives outside of groups, leave nothing certain.
  if (pattern.includes('(?')) return [];
  const found: string[] = [];
  let run = '';
  const end = (): void => {
    if (run.length >= 3) found.push(run);
    run = '';
  };
  for (let at = 0; at < pattern.length; at++) {
    const character = pattern[at]!;
    if (character === '|') return [];
    if (character === '(') {
      end();
      const close = groupEnd(pattern, at);
      if (close < 0) return [];
      at = close;
      continue;
    }
    if (character === '[') {
      end();
      const close = classEnd(pattern, at);
      if (close < 0) return [];
      at = close;
      continue;
    }
    if (character === '*' || character === '?' || character === '{') {
      // What is repeated may be absent.
      run = [...run].slice(0, -1).join('');
      end();
      if (character === '{') {
        const close = pattern.indexOf('}', at);
        if (close < 0) return [];
        at = close;
      }
      continue;
    }
    if (character === '+') {
      end();
      continue;
    }
    if (character === '.' || character === '^' || character === '$') {
      end();
      continue;
    }
    if (character === '\\') {
      const next = pattern[++at];
      if (next === undefined || /[A-Za-z0-9]/.test(next)) {
        if (next === 'Q' || next === 'x' || next === 'p' || next === 'P') return [];
        end();
      } else run += next;
      continue;
    }
    run += character;
  }
  end();
  return found;
}

function groupEnd(pattern: string, open: number): number {
  let depth = 0;
  for (let at = open; at < pattern.length; at++) {
    if (pattern[at] === '\\') at++;
    else if (pattern[at] === '[') {
      const close = classEnd(pattern, at);
      if (close < 0) return -1;
      at = close;
    } else if (pattern[at] === '(') depth++;
    else if (pattern[at] === ')' && --depth === 0) return at;
  }
  return -1;
}

function classEnd(pattern: string, open: number): number {
  let at = open + 1;
  if (pattern[at] === '^') at++;
  // A bracket that comes first stands for itself.
  if (pattern[at] === ']') at++;
  for (; at < pattern.length; at++) {
    if (pattern[at] === '\\') at++;
    else if (pattern[at] === '[' && pattern[at + 1] === ':') at = pattern.indexOf(':]', at) + 1;
    else if (pattern[at] === ']') return at;
  }
  return -1;
}
