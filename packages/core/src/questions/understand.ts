import { quoteValue } from '../query/expression.js';
import type { TimeWindow } from '../time/window-text.js';
import {
  type AskedOf,
  type Asks,
  BESIDE,
  CUES,
  FAIL,
  NOTHING,
  OF,
  POINTING,
  REFUSED,
  SLOW,
  WRONG_WORDS,
} from './cues.js';
import { timeNamed } from './times.js';
import { type Named, Names, STOP, type Token, type Vocabulary } from './words.js';

/** A question as it was understood: what is computed, of what, and when. */
export interface Understood {
  asks: Asks;
  of: AskedOf;
  /** Whether the question said of what, or that is only the likeliest. */
  saidOf: boolean;
  /** Field that it is told by. */
  by?: string;
  wrong?: 'failed' | 'refused' | 'slow';
  service?: string;
  operation?: string;
  job?: string;
  /** Filters, each an expression. */
  terms: string[];
  window?: TimeWindow;
  /** The time in the words of the question. */
  time?: string;
  /** What was taken over from the question before. */
  carried: string[];
}

/** Words that were not understood; with none of the rest understood either there is no question. */
export interface Reading {
  understood?: Understood;
  unread: string[];
}

/** The words of a question, and which of them were made use of. */
class Sentence {
  private readonly used = new Set<Token>();

  constructor(private readonly tokens: readonly Token[]) {}

  /** All its words that name nothing. */
  get words(): string[] {
    return this.tokens.flatMap((token) => ('word' in token ? [token.word] : []));
  }

  get named(): Named[] {
    return this.tokens.flatMap((token) => ('named' in token ? [token.named] : []));
  }

  has(form: RegExp): boolean {
    return this.words.some((word) => form.test(word));
  }

  /** Whether words of a form are there; they are made use of. */
  takes(form: RegExp): boolean {
    for (const token of this.tokens) if ('word' in token && form.test(token.word)) this.used.add(token);
    return this.has(form);
  }

  wordsOf(form: RegExp): string[] {
    return this.words.filter((word) => form.test(word));
  }

  /** What is left over, in pieces that stand together. */
  left(): string[] {
    const pieces: string[][] = [[]];
    for (const token of this.tokens) {
      if (!('word' in token) || this.used.has(token) || STOP.has(token.word)) pieces.push([]);
      else pieces.at(-1)!.push(token.text.replace(/[.:]+$/, ''));
    }
    return pieces.filter(({ length }) => length > 0).map((words) => words.join(' '));
  }
}

/** What goes wrong, as a question says it. */
function wrongIn(sentence: Sentence): Understood['wrong'] {
  if (sentence.takes(REFUSED)) return 'refused';
  if (sentence.takes(FAIL)) return 'failed';
  return sentence.takes(SLOW) ? 'slow' : undefined;
}

/** Filters of records by their level. */
function levelIn(sentence: Sentence): string | undefined {
  if (sentence.takes(/^warnings?$/)) return 'level >= warn';
  return sentence.has(/^errors?$/) ? 'level >= error' : undefined;
}

/** What is asked for, of what, and by which field. */
function askedIn(
  sentence: Sentence,
  wrong: Understood['wrong'],
): { asks?: Asks; said?: AskedOf; by?: Extract<Named, { kind: 'field' }> } {
  const cue = CUES.find(({ words }) => words.every((form) => sentence.has(form)));
  for (const form of cue?.words ?? []) sentence.takes(form);
  if (cue) sentence.takes(BESIDE[cue.asks] ?? NOTHING);
  const said = OF.find(([, form]) => sentence.has(form))?.[0];
  for (const [, form] of OF) sentence.takes(form);
  const by = sentence.named.find((one) => one.kind === 'field');
  const asksWhich = sentence.takes(/^(which|what|who|whom|most|top)$/);
  const warned = sentence.has(/^warnings?$/);
  const asked = { ...(said && { said }), ...(by && { by }) };
  if (cue && cue.asks !== 'show' && !(by && cue.asks === 'how many')) return { asks: cue.asks, ...asked };
  if (by && (cue || asksWhich || wrong || said || warned))
    return {
      asks: wrong && !warned && said !== 'records' ? 'which go wrong' : 'which are most',
      ...asked,
    };
  if (cue) return { asks: cue.asks, ...asked };
  if (wrong === 'slow' && said !== 'runs' && (said || asksWhich)) return { asks: 'slowest', ...asked };
  if (asksWhich && (wrong || said))
    return { asks: wrong && said !== 'records' ? 'which go wrong' : 'show', ...asked };
  return asked;
}

/** What takes a phrase to look for. */
const OF_PHRASES: readonly Asks[] = ['first', 'last', 'how many', 'show', 'which are most'];

/**
 * Reads a question in plain words: times and names of what is held are found first, then the words that tell what is
 * asked for; what is left is a phrase to look for, where lines are asked for. Every word has to be accounted for, or
 * is told of (as Popescu, Etzioni and Kautz 2003 ask of questions that can be answered at all). A question that
 * says less than the one before takes the rest from it.
 *
 * @param now milliseconds since 1970: the end of what is held
 */
export function understand(
  question: string,
  vocabulary: Vocabulary,
  now: number,
  before?: Understood,
): Reading {
  const quoted: string[] = [];
  const bare = question.replaceAll(/["“”]([^"“”]+)["“”]/g, (_, phrase: string) => {
    quoted.push(phrase.trim());
    return ' ';
  });
  const time = timeNamed(bare, now);
  const sentence = new Sentence(new Names(vocabulary).tokens(time?.rest ?? bare));
  const wrong = wrongIn(sentence);
  const level = levelIn(sentence);
  const { asks, said, by } = askedIn(sentence, wrong);
  const takesPhrase = asks !== undefined && OF_PHRASES.includes(asks);
  const left = sentence.left();
  const phrases = [...quoted, ...(takesPhrase ? left : [])];
  const unread = takesPhrase ? [] : left.flatMap((piece) => piece.split(' '));

  const job = sentence.named.find((one) => one.kind === 'job')?.job;
  const service = sentence.named.find((one) => one.kind === 'service')?.service;
  const operation = sentence.named.find((one) => one.kind === 'operation');
  const ofRuns = job !== undefined || (by?.parameter === true && !by.recorded);
  const likeliest = ofRuns
    ? 'runs'
    : phrases.length > 0 || sentence.has(/^warnings?$/)
      ? 'records'
      : 'requests';
  const of = said ?? likeliest;
  const found: Partial<Understood> = {
    ...(by && { by: by.field }),
    ...(wrong && { wrong }),
    ...(service !== undefined && { service }),
    ...(operation && { service: operation.service, operation: operation.operation }),
    ...(job !== undefined && { job }),
    ...(time && { window: time.window, time: time.words }),
  };
  const filters = [...phrases.map(phraseTerm), ...sentence.named.flatMap(termOf)];
  if (asks === undefined) {
    const says = Object.keys(found).length > 0 || filters.length > 0;
    if (!before || !says) return { unread: left.length > 0 ? unread : sentence.words };
    return { understood: continued(before, { ...found, terms: filters, ...(said && { of: said }) }), unread };
  }
  const askedOf = defaultOf(asks, of, said);
  // Lines are not refused or slow themselves; they may say so.
  const words = askedOf === 'records' && wrong && !level ? sentence.wordsOf(WRONG_WORDS[wrong]) : [];
  const understood: Understood = {
    asks,
    of: askedOf,
    saidOf: said !== undefined || ofRuns || phrases.length > 0,
    terms: [
      ...filters.slice(0, phrases.length),
      ...words.map(phraseTerm),
      ...(level && askedOf === 'records' ? [level] : []),
      ...filters.slice(phrases.length),
    ],
    carried: [],
    ...found,
  };
  const refers = /^\s*(and|but|also|what about|how about)\b/i.test(question) || sentence.has(POINTING);
  return { understood: before ? withContext(understood, before, refers) : understood, unread };
}

/** What each asks of, where the question does not say. */
function defaultOf(asks: Asks, of: AskedOf, said: AskedOf | undefined): AskedOf {
  if (asks === 'stuck') return 'runs';
  const ofLines = ['show', 'which are most', 'first', 'last', 'new'].includes(asks);
  return ofLines ? (said ?? (of === 'runs' ? 'runs' : 'records')) : of;
}

const phraseTerm = (phrase: string): string => {
  const quoted = quoteValue(phrase);
  return quoted.startsWith('"') ? quoted : `"${phrase}"`;
};

function termOf(named: Named): string[] {
  switch (named.kind) {
    case 'service':
      return [`service = ${quoteValue(named.service)}`];
    case 'value':
      return [`${named.field} = ${quoteValue(named.value)}`];
    default:
      return [];
  }
}

/** A question that only changes something of the one before: "and by site?", "and yesterday?", "only north-quay". */
function continued(before: Understood, { terms = [], ...own }: Partial<Understood>): Understood {
  const fieldOf = (term: string): string => term.split(' ')[0]!;
  const replaced = new Set(terms.map(fieldOf));
  return {
    ...before,
    ...own,
    terms: [...before.terms.filter((term) => term.startsWith('"') || !replaced.has(fieldOf(term))), ...terms],
    carried: ['the question', ...(own.window || !before.time ? [] : [before.time])],
  };
}

/** What a question leaves out that the one before said: the time always, the rest where it refers to it. */
function withContext(own: Understood, before: Understood, refers: boolean): Understood {
  const carried: string[] = [];
  const taken: Partial<Understood> = {};
  if (!own.window && before.window) {
    taken.window = before.window;
    if (before.time !== undefined) taken.time = before.time;
    carried.push(before.time ?? 'the time');
  }
  let { terms } = own;
  if (refers) {
    if (!own.saidOf) taken.of = before.of;
    terms = [...before.terms.filter((term) => !terms.includes(term)), ...terms];
    carried.push(...before.terms);
    if (own.job === undefined && before.job !== undefined && own.of === before.of) {
      taken.job = before.job;
      carried.push(before.job);
    }
    if (own.operation === undefined && before.operation !== undefined && before.service !== undefined) {
      taken.service = before.service;
      taken.operation = before.operation;
      carried.push(before.operation);
    }
    if (own.wrong === undefined && before.wrong !== undefined) taken.wrong = before.wrong;
  }
  return { ...own, ...taken, terms, carried };
}
