import type { Context } from './contexts.js';
import { isPair, isWordToken } from './contexts.js';
import { CONTINUED, SLOT } from './form.js';

/** What is known of words beside the place they stand at. */
export interface Vocabulary {
  /** Words that stood where values stand, behind `=`. */
  values: ReadonlySet<string>;
  /** How many different beginnings the forms have in which a word stands. */
  spread: ReadonlyMap<string, number>;
}

/** Names of what is looked at to decide whether a place holds a value; each has a weight. */
export const EVIDENCE = [
  'bias',
  'words before',
  'words behind',
  'one word around',
  'two words around',
  'slots around',
  'keys around',
  'at the start',
  'at the end',
  'behind equals',
  'behind colon',
  'behind bracket',
  'behind preposition',
  'behind comma',
  'behind state',
  'before colon',
  'before equals',
  'before bracket',
  'many kinds',
  'two kinds',
  'three kinds',
  'come back',
  'single words',
  'some empty',
  'a value among',
  'with digits',
  'capitals',
  'capitalised',
  'verbs',
  'length',
  'empty or bracketed',
  'empty or preposition',
  'empty or clause',
  'known values',
  'known language',
  'alike',
  'share of place',
  'small words',
  'behind pair',
  'before pair',
  'key among',
  'phrases at end behind colon',
  'many at end',
  'more lines',
  'mixed',
  'ends in lead',
  'ends in colon',
  'recurring words',
  'one-off kinds',
  'seen elsewhere',
  'pairs among few words',
] as const;
export type EvidenceName = (typeof EVIDENCE)[number];

/** Words that name what has states or kinds: what follows is one of them. */
const STATES = new Set(
  'status state mode phase stage level type kind result reason action role severity'.split(' '),
);
/** Words behind which a value stands rather than a part of the statement. */
const LEADS = new Set(
  `for by to from in on at of with via as is are was be into onto under over using per than user users account host
  hostname name named called node client server peer owner member state status mode type level role reason result
  kind class group zone region label tag topic title version value key`.split(/\s+/),
);
const PREPOSITIONS = new Set(
  'after in for with at from to by on because due while since until via using within during before over of'.split(
    ' ',
  ),
);
/** Words that hold a sentence together and say little by themselves. */
const SMALL = new Set(
  'for by to from in on at of with via as is are was be into the a an and or not no has have had will can'.split(
    ' ',
  ),
);

const weightOf = (token: string): number =>
  !isWordToken(token) || isPair(token) || !/[A-Za-z\u0080-\uffff]{2}/.test(token)
    ? 0
    : SMALL.has(token.toLowerCase())
      ? 0.3
      : 1;
const share = (count: number, of: number): number => (of === 0 ? 0 : count / of);

/**
 * What speaks for and against the forms of a context being one statement with a value at the place where
 * they differ. Numbers of about one, in the order of `EVIDENCE`.
 *
 * @param records records of each form
 */
export function evidenceOf(
  { before, after, fillers }: Context,
  records: readonly number[],
  { values, spread }: Vocabulary,
): Float64Array {
  const all = [...fillers.values()];
  const filled = all.filter(({ tokens }) => tokens.length > 0);
  const hasEmpty = filled.length < all.length;
  const wordsBefore = before.reduce((sum, token) => sum + weightOf(token), 0);
  const wordsAfter = after.reduce((sum, token) => sum + weightOf(token), 0);
  const around = wordsBefore + wordsAfter;
  const last = before.at(-1) ?? '';
  const next = after[0] ?? '';
  const words = filled.map(({ tokens }) => tokens.filter(isWordToken));
  const flat = words.flat();
  const holeWords = share(
    filled.reduce((sum, { tokens }) => sum + tokens.reduce((own, token) => own + weightOf(token), 0), 0),
    filled.length,
  );
  const holeTokens = share(
    filled.reduce((sum, { tokens }) => sum + tokens.length, 0),
    filled.length,
  );
  const total = all.reduce((sum, { members }) => sum + members.reduce((own, at) => own + records[at]!, 0), 0);
  const single = words.filter((own, at) => own.length === 1 && filled[at]!.tokens.length === 1).length;
  const bare = filled.filter(({ tokens }) => tokens.length === 1 && tokens[0] === SLOT).length;
  const starts = (test: (token: string) => boolean): boolean =>
    filled.every(({ tokens }) => test(tokens[0]!));
  const count = (test: (word: string) => boolean): number => share(flat.filter(test).length, flat.length);
  const kinds = fillers.size;
  const atEnd = after.length === 0;
  const phrases = single + bare < filled.length;
  const allCapitals = [...before, ...after]
    .filter(isWordToken)
    .every((token) => token === token.toUpperCase());
  const found: Record<EvidenceName, number> = {
    bias: 1,
    'words before': Math.log2(1 + wordsBefore) / 2,
    'words behind': Math.log2(1 + wordsAfter) / 2,
    'one word around': Number(around < 1.5),
    'two words around': Number(around >= 1.5 && around < 2.5),
    'slots around': Math.log2(1 + [...before, ...after].filter((token) => token === SLOT).length) / 2,
    'keys around': Math.log2(1 + [...before, ...after].filter(isPair).length) / 2,
    'at the start': Number(wordsBefore < 0.5),
    'at the end': Number(atEnd),
    'behind equals': Number(last === '='),
    'behind colon': Number(last === ':'),
    'behind bracket': Number(/^[([{<"'`]$/.test(last)),
    'behind preposition': Number(LEADS.has(last.toLowerCase())),
    'behind state': Number(STATES.has(last.toLowerCase())),
    'behind comma': Number(/^[,;|]$/.test(last)),
    'before colon': Number(next === ':'),
    'before equals': Number(next === '='),
    'before bracket': Number(/^[([{]$/.test(next)),
    'many kinds': Math.log2(kinds) / 3,
    'two kinds': Number(kinds === 2),
    'three kinds': Number(kinds === 3),
    'come back': Math.log2(total / kinds + 1) / 5,
    'single words': share(single, filled.length),
    'some empty': Number(hasEmpty),
    'a value among': Number(bare > 0),
    'with digits': count((word) => /[\d_.]|-/.test(word)),
    capitals: allCapitals ? 0 : count((word) => /^[A-Z][A-Z0-9_-]+$/.test(word)),
    capitalised: count((word) => /^[A-Z][a-z]/.test(word)),
    verbs: count((word) => /^[a-z]+(?:ed|ing)$/i.test(word)),
    length: Math.log2(1 + holeTokens) / 2,
    'empty or bracketed': Number(hasEmpty && starts((token) => /^[([{<]$/.test(token))),
    'empty or preposition': Number(hasEmpty && starts((token) => PREPOSITIONS.has(token.toLowerCase()))),
    'empty or clause': Number(hasEmpty && starts((token) => /^[,;:.-]$/.test(token))),
    'known values': count((word) => values.has(word)),
    'known language': count((word) => (spread.get(word) ?? 0) >= 3),
    alike: phrases ? alikeOf(filled.map(({ tokens }) => tokens)) : 0,
    'share of place': share(holeWords, holeWords + around),
    'small words': count((word) => SMALL.has(word.toLowerCase())),
    'behind pair': Number(isPair(last)),
    'before pair': Number(isPair(next)),
    'key among': Number(filled.some(({ tokens }) => tokens.some(isPair))),
    'phrases at end behind colon': Number(phrases && atEnd && /^[:=]$/.test(last)),
    mixed: 4 * share(single + bare, filled.length) * (1 - share(single + bare, filled.length)),
    'ends in lead': share(
      filled.filter(({ tokens }) => tokens.length > 1 && LEADS.has(tokens.at(-1)!.toLowerCase())).length,
      filled.length,
    ),
    'ends in colon': share(
      filled.filter(({ tokens }) => tokens.length > 1 && tokens.includes(':')).length,
      filled.length,
    ),
    'recurring words': kinds <= 4 && !phrases ? Math.log2(total / kinds + 1) / 5 : 0,
    'one-off kinds': share(
      all.filter(({ members }) => members.reduce((own, at) => own + records[at]!, 0) === 1).length,
      kinds,
    ),
    'seen elsewhere': count((word) => (spread.get(word) ?? 0) >= 2),
    'pairs among few words':
      around < 2.5 ? Math.log2(1 + [...before, ...after].filter(isPair).length) / 2 : 0,
    'more lines': Number(filled.some(({ tokens }) => tokens.includes(CONTINUED))),
    'many at end': atEnd ? Math.log2(kinds) / 3 : 0,
  };
  return Float64Array.from(EVIDENCE, (name) => found[name]);
}

const COMPARED = 8;

/** How much of their tokens what stands at a place shares, pair by pair. */
function alikeOf(fillers: readonly (readonly string[])[]): number {
  const some = fillers.slice(0, COMPARED).map((tokens) => new Set(tokens));
  let sum = 0;
  let pairs = 0;
  for (let a = 0; a < some.length; a++) {
    for (let b = a + 1; b < some.length; b++) {
      const shared = [...some[a]!].filter((token) => some[b]!.has(token)).length;
      sum += shared / (some[a]!.size + some[b]!.size - shared);
      pairs++;
    }
  }
  return share(sum, pairs);
}

/** What words of forms are known to be beside the place they stand at. */
export function vocabularyOf(forms: readonly (readonly string[])[], values: ReadonlySet<string>): Vocabulary {
  const starts = new Map<string, Set<string>>();
  for (const tokens of forms) {
    const first = tokens.find(isWordToken) ?? '';
    for (const token of tokens) {
      if (!isWordToken(token)) continue;
      const own = starts.get(token);
      if (own) own.add(first);
      else starts.set(token, new Set([first]));
    }
  }
  return { values, spread: new Map([...starts].map(([word, own]) => [word, own.size])) };
}

/** Log odds that a context's forms are one statement (logistic regression). */
export function logOdds(evidence: Float64Array, weights: Float64Array): number {
  let sum = 0;
  for (let at = 0; at < evidence.length; at++) sum += evidence[at]! * weights[at]!;
  return sum;
}
