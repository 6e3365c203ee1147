import { type Form, formOfText, SLOT } from './form.js';

/** Two forms of which one is the other with a part left out. */
export interface OptionalPart {
  whole: number;
  part: number;
  belief: number;
}

/** Prepositions that open a tail which a statement can do without. */
const TAIL = new Set(
  'after in for with at from to by on because due while since until via using within during before took over'.split(
    ' ',
  ),
);

/**
 * Finds forms that are another form with a part left out: a bracketed part, what follows a comma, semicolon
 * or dash, a closing phrase with a value in it, or some of its `key=value` pairs. That the shorter form
 * occurs by itself is the evidence.
 */
export function findOptionalParts(forms: readonly Form[]): OptionalPart[] {
  const byKey = new Map(forms.map((form, at) => [form.key, at]));
  const found: OptionalPart[] = [];
  const look = (whole: number, text: string, belief: number): void => {
    const part = byKey.get(formOfText(text).key);
    if (part !== undefined && part !== whole) found.push({ whole, part, belief });
  };
  forms.forEach((form, at) => {
    const { tokens, kinds } = form;
    let words = 0;
    let slots = 0;
    for (let index = 0; index < tokens.length; index++) {
      const token = tokens[index]!;
      if (kinds[index] === 'gap' && (words >= 2 || (words === 1 && slots > 0))) {
        const mark = /[([{,;|]|\s[-–—]+\s/.exec(token);
        if (mark)
          look(at, tokens.slice(0, index).join('') + token.slice(0, mark.index), words >= 3 ? 2 : 1.2);
        if (/[([]$/.test(token)) {
          const rest = withoutBrackets(tokens, index);
          if (rest !== undefined) look(at, rest, words >= 3 ? 1.6 : 1.1);
        }
      } else if (kinds[index] === 'word') {
        const tail = words >= 3 && TAIL.has(token) && tokens.slice(index).includes(SLOT);
        if (tail) look(at, tokens.slice(0, index).join(''), 1.1);
        if (words + slots >= 2 && TAIL.has(token) && kinds[index + 2] === 'slot') {
          const rest = tokens
            .slice(index + 3)
            .join('')
            .replace(/^[)\]]/, '');
          look(
            at,
            `${tokens.slice(0, index).join('').trimEnd()}${/^\s|^$/.test(rest) ? '' : ' '}${rest}`,
            1.05,
          );
        }
        words++;
      } else if (kinds[index] === 'slot') slots++;
    }
  });
  return [...found, ...findPairs(forms)];
}

/** The text without the brackets that open in a gap and what is in them. */
function withoutBrackets(tokens: readonly string[], open: number): string | undefined {
  const mark = tokens[open]!.at(-1)!;
  const closing = mark === '(' ? ')' : ']';
  for (let index = open + 1; index < tokens.length; index++) {
    const close = tokens[index]!.indexOf(closing);
    if (close < 0) continue;
    const before = tokens.slice(0, open).join('') + tokens[open]!.slice(0, -1);
    const after = tokens[index]!.slice(close + 1) + tokens.slice(index + 1).join('');
    return `${before.trimEnd()}${/^\s|^$/.test(after) ? '' : ' '}${after}`;
  }
  return undefined;
}

const PAIR = new RegExp(`(^|[\\s,;&({[])([A-Za-z_][\\w.-]*)=${SLOT}`, 'g');

/** Forms that say the same but for which of their `key=value` pairs are present. */
function findPairs(forms: readonly Form[]): OptionalPart[] {
  const byRest = new Map<string, { at: number; keys: Set<string> }[]>();
  forms.forEach((form, at) => {
    const text = form.tokens.join('');
    const keys = new Set([...text.matchAll(PAIR)].map((match) => match[2]!));
    const rest = text
      .replace(PAIR, '')
      .replace(/[\s,;&]+/g, ' ')
      .trim();
    const list = byRest.get(rest);
    if (list) list.push({ at, keys });
    else byRest.set(rest, [{ at, keys }]);
  });
  const found: OptionalPart[] = [];
  for (const [rest, all] of byRest) {
    if (all.length < 2 || !all.some(({ keys }) => keys.size > 0)) continue;
    const words = rest.match(/[A-Za-z][A-Za-z-]+/g)?.length ?? 0;
    // Where nothing else is said, the keys themselves are the statement.
    const needed = words >= 3 ? 0.2 : words === 2 ? 0.34 : 0.6;
    for (let a = 0; a < all.length; a++) {
      for (let b = a + 1; b < all.length && b < a + 200; b++) {
        const [one, other] = [all[a]!, all[b]!];
        const shared = [...one.keys].filter((key) => other.keys.has(key)).length;
        const alike = shared / Math.max(1, one.keys.size + other.keys.size - shared);
        const bare = (one.keys.size === 0 || other.keys.size === 0) && words >= 2;
        if (alike >= needed || bare)
          found.push({ whole: one.at, part: other.at, belief: bare ? 1.1 : 1 + alike });
      }
    }
  }
  return found;
}
