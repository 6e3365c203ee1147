import type { Form } from './form.js';
import { Sets } from './sets.js';

/** Two groups that become one when fewer patterns are asked for. */
export interface CoarseJoin {
  a: number;
  b: number;
  /** How alike they are, from 0 to 1. */
  likeness: number;
}

/** Beyond this many patterns the rarest are joined by their first word only. */
const MAX_COMPARED = 6000;
/** Neighbours looked at for each pattern. */
const NEIGHBOURS = 24;
/** How much sharing words counts for likeness, and how much beginning alike. */
const WORDS_COUNT = 0.75;
const BEGINNING_COUNTS = 0.25;
/** Words that more patterns than this share tell nothing. */
const MAX_SHARED = 400;

/**
 * In which order patterns join when fewer are wanted: the most alike first, by the words they share
 * (weighted by how rare a word is) and by how long they begin alike. Groups that have grown large join
 * later, since single linkage would otherwise chain everything together. What shares no word joins last.
 *
 * @param forms one for each pattern
 * @param sizes records of each pattern
 */
export function coarseJoins(forms: readonly Form[], sizes: readonly number[]): CoarseJoin[] {
  const order = forms.map((_, at) => at).sort((a, b) => sizes[b]! - sizes[a]! || a - b);
  const compared = order.slice(0, MAX_COMPARED);
  const words = forms.map((form) => new Set(form.tokens.filter((_, at) => form.kinds[at] === 'word')));
  const holders = new Map<string, number[]>();
  for (const at of compared) {
    for (const word of words[at]!) {
      const list = holders.get(word);
      if (list) list.push(at);
      else holders.set(word, [at]);
    }
  }
  const codes = codesOf(forms);
  const weightOf = (word: string): number => Math.log(1 + compared.length / (holders.get(word)?.length ?? 1));
  const totals = words.map((own) => [...own].reduce((sum, word) => sum + weightOf(word), 0));
  const heap = new Heap();
  const shared = new Float64Array(forms.length);
  for (const at of compared) {
    const met: number[] = [];
    for (const word of words[at]!) {
      const list = holders.get(word)!;
      if (list.length > MAX_SHARED) continue;
      const weight = weightOf(word);
      for (const other of list) {
        if (other <= at) continue;
        if (shared[other] === 0) met.push(other);
        shared[other]! += weight;
      }
    }
    const nearest: CoarseJoin[] = [];
    for (const other of met) {
      const weight = shared[other]!;
      shared[other] = 0;
      const words = weight / (totals[at]! + totals[other]! - weight);
      const least = nearest[NEIGHBOURS - 1]?.likeness ?? -Infinity;
      // However alike they begin, it would not be among the nearest.
      if (WORDS_COUNT * words + BEGINNING_COUNTS <= least) continue;
      const likeness = WORDS_COUNT * words + BEGINNING_COUNTS * beginning(codes[at]!, codes[other]!);
      if (likeness <= least) continue;
      let place = Math.min(nearest.length, NEIGHBOURS - 1);
      while (place > 0 && nearest[place - 1]!.likeness < likeness) {
        nearest[place] = nearest[place - 1]!;
        place--;
      }
      nearest[place] = { a: at, b: other, likeness };
    }
    for (const join of nearest) heap.push(join, join.likeness);
  }
  const sets = new Sets(forms.length);
  const members = forms.map(() => 1);
  const joins: CoarseJoin[] = [];
  const join = (a: number, b: number, likeness: number): void => {
    const [one, other] = [sets.of(a), sets.of(b)];
    if (!sets.join(a, b)) return;
    members[sets.of(a)] = members[one]! + members[other]!;
    joins.push({ a, b, likeness });
  };
  for (let next = heap.pop(); next; next = heap.pop()) {
    const [one, other] = [sets.of(next.item.a), sets.of(next.item.b)];
    if (one === other) continue;
    const damped = next.item.likeness / Math.log2(members[one]! + members[other]!);
    // Groups grown since this pair was weighed: it goes back to its new place.
    if (damped < next.weight - 1e-9 && damped < (heap.best ?? 0)) heap.push(next.item, damped);
    else join(next.item.a, next.item.b, Math.min(next.item.likeness, next.weight));
  }
  // What is left shares nothing: by its first word, then whatever remains, the rarest first.
  const byFirst = new Map<string, number>();
  for (const at of [...order].reverse()) {
    const first = forms[at]!.tokens.find((_, index) => forms[at]!.kinds[index] === 'word') ?? '';
    const known = byFirst.get(first);
    if (known === undefined) byFirst.set(first, at);
    else join(known, at, 0);
  }
  for (const at of [...order].reverse()) join(order[0]!, at, 0);
  return joins;
}

/** The tokens of forms as numbers: comparing texts would take most of the time. */
function codesOf(forms: readonly Form[]): Int32Array[] {
  const codes = new Map<string, number>();
  return forms.map(({ tokens }) =>
    Int32Array.from(tokens, (token) => {
      let code = codes.get(token);
      if (code === undefined) codes.set(token, (code = codes.size));
      return code;
    }),
  );
}

/** How much of two forms is a common beginning. */
function beginning(a: Int32Array, b: Int32Array): number {
  const longest = Math.max(a.length, b.length);
  let same = 0;
  while (same < a.length && same < b.length && a[same] === b[same]) same++;
  return longest === 0 ? 0 : same / longest;
}

/** Items by weight, the heaviest first. */
class Heap {
  private readonly items: { item: CoarseJoin; weight: number }[] = [];

  get best(): number | undefined {
    return this.items[0]?.weight;
  }

  push(item: CoarseJoin, weight: number): void {
    const { items } = this;
    items.push({ item, weight });
    for (let at = items.length - 1; at > 0;) {
      const above = (at - 1) >> 1;
      if (items[above]!.weight >= items[at]!.weight) break;
      [items[above], items[at]] = [items[at]!, items[above]!];
      at = above;
    }
  }

  pop(): { item: CoarseJoin; weight: number } | undefined {
    const { items } = this;
    const top = items[0];
    const last = items.pop();
    if (top === undefined || last === undefined || items.length === 0) return top;
    items[0] = last;
    for (let at = 0; ;) {
      let next = 2 * at + 1;
      if (next >= items.length) break;
      if (next + 1 < items.length && items[next + 1]!.weight > items[next]!.weight) next++;
      if (items[at]!.weight >= items[next]!.weight) break;
      [items[at], items[next]] = [items[next]!, items[at]!];
      at = next;
    }
    return top;
  }
}
