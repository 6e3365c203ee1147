import type { Layout } from '../patterns/layout.js';
import { WORD_SOURCE } from '../patterns/tokens.js';

/**
 * A layout as grouping sees it: words, the characters between, and slots that are all alike. What varies
 * without saying anything (type of a value, length of a list, inside of a JSON object) is gone.
 */
export interface Form {
  /** Words and gaps as they stand; `SLOT` for a slot. */
  tokens: readonly string[];
  /** Kind of each token. */
  kinds: readonly Kind[];
  /** The tokens in one piece, to compare forms by. */
  key: string;
}

export type Kind = 'word' | 'gap' | 'slot';

export const SLOT = '\u0001';
/** Where the first line of a text ends. */
export const CONTINUED = '\u0003';

const WORD_CHARACTER = 'A-Za-z0-9_\\u0080-\\uffff';
const WORD = WORD_SOURCE;
/** A place in a program's source, as the scanner leaves it standing. */
const LOCATION = String.raw`(?:\.{0,2}/)*(?:[\w.+-]+/)*[\w+-][\w.+-]*\.[A-Za-z]{1,5}(?::\d+(?::\d+)?|\(\d+\))|[A-Z][\w$]*@\d+`;
const TOKEN = new RegExp(
  `${SLOT}|${CONTINUED}|${LOCATION}|${WORD}|[^${SLOT}${CONTINUED}${WORD_CHARACTER}]+`,
  'g',
);
const IS_LOCATION = new RegExp(`^(?:${LOCATION})$`);

/** Whether a token is a place in a program's source. */
export const isLocation = (token: string): boolean => token.length > 3 && IS_LOCATION.test(token);

/** Items of a list and what may part them; a value and what is glued to it. */
const LIST = new RegExp(`${SLOT}(?:(?:[,;|] ?|[ /:.@x*+#~%-]|\\.\\.\\.?)${SLOT})+`, 'g');
const WORD_LIST = new RegExp(`([[({])(?:${WORD}|${SLOT})(?:(?:[,;|] ?| )(?:${WORD}|${SLOT}))+([\\])}])`, 'g');
const EMPTY_LIST = /\[\s*\]|\{\s*\}/g;
/** The request line of an access log: its route and its status are what it says, however many there are. */
export const REQUEST = /^"[A-Z]{3,8} \/.* HTTP\/\d/;
/** Text in quotes, and nothing in them. */
const QUOTED = /"(?:[^"\\\n]|\\.)*"(?!\s?:)|(?<![\w])'(?:[^'\\\n]|\\.)*'(?![\w])|`[^`\n]*`|`[^`'\n]*'/g;
/** What is behind a key: up to a space, or what ends a list, or nothing at all. */
const ASSIGNED = new RegExp(
  `(?<=[A-Za-z0-9_\\])]=)(?:<[^<>]*>|\\([^()]*\\)|(?:\\[[^[\\]\\s]*\\]|[^\\s,;()[\\]{}=<>&])+(?=[\\s,;()[\\]{}<>&]|$)|(?=[\\s,;)\\]}]|$))`,
  'g',
);
/** Names between angle brackets. */
const ANGLED = /<[^<>\s=]*>/g;
/** What holds no space and may be one value: words, slots, and characters that values hold between them. */
const RUN = new RegExp(`[${SLOT}${WORD_CHARACTER}/.@#~%+^\\\\-]+`, 'g');
/** Slots one behind the other, however many. */
const REPEATED = new RegExp(`${SLOT}(?:[ ,;|]+${SLOT})+`, 'g');

/** How terminals are told a colour. */
const COLOUR = new RegExp(`${String.fromCharCode(27)}\\[[\\d;]*[A-Za-z]`, 'g');

const PAIR_END = `=${SLOT}`;
/** In a text of so many pairs, what stands in brackets behind one explains its value. */
const MANY_PAIRS = 3;
const EXPLAINED = new RegExp(`(=${SLOT} )\\([^()]*\\)`, 'g');

/** Words that stand for a value, or for its absence. */
const VALUE_WORDS =
  /<[a-z_ -]{2,20}>|(?<![\w.-])(?:null|nil|none|undefined|NaN|true|false|True|False|None|NULL)(?![\w-]|\.\w)/g;

/** The form of a layout. */
export function formOf(layout: Pick<Layout, 'literals' | 'types'>): Form {
  return formOfText(layout.literals.join(SLOT));
}

/** The form of a text whose slots are marked. */
export function formOfText(marked: string): Form {
  let text = withoutObjects(
    marked.replaceAll('\n', CONTINUED).replace(COLOUR, '').replace(/\s+/g, ' ').trim(),
  );
  if (REQUEST.test(text)) return formOfTokens(text);
  text = text.replace(QUOTED, SLOT).replace(ANGLED, SLOT).replace(VALUE_WORDS, SLOT);
  text = text.replace(ASSIGNED, SLOT);
  text = text.replace(EMPTY_LIST, (empty) => `${empty[0]!}${SLOT}${empty.at(-1)!}`);
  text = text.replace(WORD_LIST, (list, open: string, close: string) =>
    /[,;|]/.test(list) ? open + SLOT + close : list,
  );
  text = text.replaceAll(`[${SLOT}]:${SLOT}`, SLOT).replace(LIST, SLOT).replace(RUN, valueOfRun);
  text = text.replace(REPEATED, SLOT);
  if (text.split(PAIR_END).length > MANY_PAIRS) text = text.replace(EXPLAINED, `$1(${SLOT})`);
  return formOfTokens(text);
}

/** The form of a text in which all that varies is a slot. */
function formOfTokens(text: string): Form {
  const tokens = text.match(TOKEN) ?? [];
  const kinds = tokens.map((token): Kind =>
    token === SLOT ? 'slot' : /[A-Za-z0-9_\u0080-\uffff]/.test(token) ? 'word' : 'gap',
  );
  return { tokens, kinds, key: tokens.join('\u0000') };
}

/** A run that holds a slot is one value, such as `SSLv3/TLS` of which the number is a slot; a full stop behind it is not. */
function valueOfRun(run: string): string {
  if (!run.includes(SLOT)) return run;
  const stop = /[.-]*$/.exec(run)![0];
  return SLOT + stop;
}

/** Puts one slot in the place of each JSON object or array of them. */
function withoutObjects(text: string): string {
  let result = text;
  for (let open = result.search(/\{\s?"/); open >= 0;) {
    let depth = 0;
    let end = open;
    for (; end < result.length; end++) {
      const character = result[end];
      if (character === '{' || character === '[') depth++;
      else if (character === '}' || character === ']') {
        depth--;
        if (depth === 0) break;
      }
    }
    if (depth !== 0) return result;
    result = result.slice(0, open) + SLOT + result.slice(end + 1);
    const next = result.slice(open).search(/\{\s?"/);
    open = next < 0 ? -1 : open + next;
  }
  return result;
}
