import { isPair } from './contexts.js';

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
  const holders = new Map<string, number>();
  forms.forEach((tokens, at) => {
    const { keys, rest } = parted(tokens);
    for (const key of keys) holders.set(key, (holders.get(key) ?? 0) + 1);
    const key = rest.join('\u0000');
    const list = byRest.get(key);
    if (list) list.push({ at, keys });
    else byRest.set(key, [{ at, keys }]);
  });
  // A key that nearly all forms have tells nothing.
  const weightOf = (key: string): number => Math.log(1 + forms.length / (4 * holders.get(key)!));
  const found: Pairs[] = [];
  for (const [rest, all] of byRest) {
    if (all.length < 2 || !all.some(({ keys }) => keys.size > 0)) continue;
    const words = rest.split('\u0000').filter((token) => /[A-Za-z]{2}/.test(token)).length;
    // Where nothing else is said, the keys themselves are the statement.
    const needed = words >= 3 ? 0.2 : words === 2 ? 0.34 : words === 1 ? 0.5 : 0.6;
    for (let a = 0; a < all.length; a++) {
      for (let b = a + 1; b < all.length && b < a + NEAR; b++) {
        const [one, other] = [all[a]!, all[b]!];
        const alike = likeness(one.keys, other.keys, weightOf);
        const bare = (one.keys.size === 0 || other.keys.size === 0) && words >= 3;
        if (alike >= needed || bare)
          found.push({ whole: one.at, part: other.at, belief: bare ? 1.1 : 1 + alike });
      }
    }
  }
  return found;
}

/** How much of their keys two forms share, rare keys counting more. */
function likeness(
  one: ReadonlySet<string>,
  other: ReadonlySet<string>,
  weightOf: (key: string) => number,
): number {
  let shared = 0;
  let all = 0;
  for (const key of new Set([...one, ...other])) {
    const weight = weightOf(key);
    all += weight;
    if (one.has(key) && other.has(key)) shared += weight;
  }
  return all === 0 ? 0 : shared / all;
}

/** The keys of a form's pairs, and its other tokens without what parts pairs. */
function parted(tokens: readonly string[]): { keys: Set<string>; rest: string[] } {
  const keys = new Set<string>();
  const rest: string[] = [];
  for (const token of tokens) {
    if (isPair(token)) keys.add(token);
    else if (!/^[,;&]$/.test(token)) rest.push(token);
  }
  return { keys, rest };
}
