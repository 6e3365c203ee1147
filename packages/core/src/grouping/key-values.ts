import { isWordToken } from './contexts.js';
import { SLOT } from './form.js';

/** Two forms of which one has pairs that the other lacks. */
export interface Pairs {
  whole: number;
  part: number;
  belief: number;
}

/** Forms compared with those behind them in a list of many alike. */
const NEAR = 200;

/** Forms that say the same but for which of their `key=value` pairs are present, and in which order. */
export function findPairs(forms: readonly (readonly string[])[]): Pairs[] {
  const byRest = new Map<string, { at: number; keys: Set<string> }[]>();
  forms.forEach((tokens, at) => {
    const { keys, rest } = parted(tokens);
    const key = rest.join('\u0000');
    const list = byRest.get(key);
    if (list) list.push({ at, keys });
    else byRest.set(key, [{ at, keys }]);
  });
  const found: Pairs[] = [];
  for (const [rest, all] of byRest) {
    if (all.length < 2 || !all.some(({ keys }) => keys.size > 0)) continue;
    const words = rest.split('\u0000').filter((token) => /[A-Za-z]{2}/.test(token)).length;
    // Where nothing else is said, the keys themselves are the statement.
    const needed = words >= 3 ? 0.2 : words === 2 ? 0.34 : words === 1 ? 0.5 : 0.6;
    for (let a = 0; a < all.length; a++) {
      for (let b = a + 1; b < all.length && b < a + NEAR; b++) {
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

/** The keys of a form's pairs, and its other tokens without what parts pairs. */
function parted(tokens: readonly string[]): { keys: Set<string>; rest: string[] } {
  const keys = new Set<string>();
  const rest: string[] = [];
  for (let at = 0; at < tokens.length; at++) {
    const token = tokens[at]!;
    if (isWordToken(token) && tokens[at + 1] === '=' && tokens[at + 2] === SLOT) {
      keys.add(token);
      at += 2;
    } else if (!/^[,;&]$/.test(token)) rest.push(token);
  }
  return { keys, rest };
}
