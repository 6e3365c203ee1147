import { type Form, withSlots } from './form.js';

/** Forms that are alike but for some words, which are taken for values. */
export interface WordGroup {
  members: number[];
  /** The form with slots where the words vary. */
  form: Form;
  /** How sure it is that these words are values; 1 is just enough. */
  belief: number;
}

/** A score that is just enough to take the words of a position for values. */
const ENOUGH = 2.5;
/** Up to so many forms of one skeleton are compared each with each; more are compared by hashes. */
const PAIRWISE = 600;
/** A form with more words is compared by its first ones. */
const MAX_POSITIONS = 40;

/** Words behind which a value stands rather than a part of the statement. */
const LEADS = new Set(
  `for by to from in on at of with via as is are was be into onto under over using per than user users account host
  hostname name named called node client server peer owner member state status mode type level phase role reason result
  kind class group zone region label tag topic title version value key`.split(/\s+/),
);
/** The request line of an access log: its route and its status are what it says, however many there are. */
const REQUEST = /^"[A-Z]{3,8} \/.* HTTP\/\d/;
/** Words that hold a sentence together and say little by themselves. */
const SMALL = new Set(
  'for by to from in on at of with via as is are was be into the a an and or not'.split(' '),
);
const weightOf = (word: string): number => (SMALL.has(word.toLowerCase()) ? 0.25 : 1);
/** What stands directly before a value, or around it. */
const LEADING_GAP = /[:=#@$%([{<"'`/\\|]\s?$/;

/**
 * Groups forms of the same skeleton (the same slots and characters between the words) that differ in few
 * words. Which positions hold values is judged by how many different words stand there, by what stands
 * before them, and by how much of the sentence stays the same; a position that is no value parts the
 * statements. After the iterative partitioning of Makanju, Zincir-Heywood and Milios (2009), which splits by
 * the position with fewest words, and the similarity of He, Zhu, Zheng and Lyu (Drain, 2017), which
 * bounds how much may differ.
 *
 * @param settled forms by skeleton among which no group was found before; they are not looked at again
 */
export function groupByVaryingWords(
  forms: readonly Form[],
  settled = new Map<string, readonly Form[]>(),
): WordGroup[] {
  const bySkeleton = new Map<string, number[]>();
  forms.forEach((form, at) => {
    if (REQUEST.test(form.tokens.join(''))) return;
    const skeleton = form.tokens
      .map((token, index) => (form.kinds[index] === 'word' ? '\u0002' : token))
      .join('');
    const list = bySkeleton.get(skeleton);
    if (list) list.push(at);
    else bySkeleton.set(skeleton, [at]);
  });
  const groups: WordGroup[] = [];
  for (const [skeleton, members] of bySkeleton) {
    if (members.length < 2) continue;
    const before = settled.get(skeleton);
    if (before?.length === members.length && members.every((member, at) => forms[member] === before[at]))
      continue;
    const known = groups.length;
    const positions = forms[members[0]!]!.kinds.flatMap((kind, at) => (kind === 'word' ? [at] : []));
    if (positions.length === 0) continue;
    for (const near of neighbours(members, forms, positions.slice(0, MAX_POSITIONS))) {
      resolve(near, forms, positions, groups);
    }
    if (groups.length === known)
      settled.set(
        skeleton,
        members.map((member) => forms[member]!),
      );
  }
  return groups;
}

/** How many words may differ in a sentence of so many. */
const tolerance = (words: number): number => (words <= 2 ? 1 : words <= 5 ? 2 : 3);

/** Sets of forms that hang together by small differences. */
function neighbours(members: number[], forms: readonly Form[], positions: readonly number[]): number[][] {
  const sets = new Map<number, number>();
  const rootOf = (at: number): number => {
    let root = at;
    while (sets.has(root)) root = sets.get(root)!;
    if (root !== at) sets.set(at, root);
    return root;
  };
  const join = (a: number, b: number): void => {
    const one = rootOf(a);
    const other = rootOf(b);
    if (one !== other) sets.set(Math.max(one, other), Math.min(one, other));
  };
  const limit = tolerance(positions.length);
  const anySlots = forms[members[0]!]!.kinds.includes('slot');
  // Words as numbers: comparing texts would take most of the time.
  const codes = new Map<string, number>();
  const weights: number[] = [];
  const codeOf = (word: string): number => {
    let code = codes.get(word);
    if (code === undefined) {
      codes.set(word, (code = weights.length));
      weights.push(weightOf(word));
    }
    return code;
  };
  const rows = members.map((member) =>
    Int32Array.from(positions, (at) => codeOf(forms[member]!.tokens[at]!)),
  );
  if (members.length <= PAIRWISE) {
    for (let a = 0; a < members.length; a++) {
      const first = rows[a]!;
      for (let b = a + 1; b < members.length; b++) {
        const second = rows[b]!;
        let different = 0;
        let same = 0;
        for (let at = 0; at < first.length; at++) {
          if (first[at] === second[at]) same += weights[first[at]!]!;
          else if (++different > limit) break;
        }
        if (different > limit) continue;
        if (same >= different || (different === 1 && (same > 0 || anySlots))) join(members[a]!, members[b]!);
      }
    }
  } else {
    const most = limit < 2 || positions.length > MOST_LEFT_OUT ? 1 : 2;
    joinNear(rows, most, (a, b) => join(members[a]!, members[b]!));
  }
  const found = new Map<number, number[]>();
  for (const member of members) {
    const root = rootOf(member);
    const list = found.get(root);
    if (list) list.push(member);
    else found.set(root, [member]);
  }
  return [...found.values()].filter((list) => list.length > 1);
}

/** Of sentences with more words only one word is left out. */
const MOST_LEFT_OUT = 14;

/**
 * Joins rows that are the same but for one word, or two: for each choice of places left out the rows are met by
 * the hash of their other words, each word at its place being a number and a row all of them together
 * (Zobrist 1970), from which those left out are taken away.
 */
function joinNear(rows: readonly Int32Array[], most: number, join: (a: number, b: number) => void): void {
  const words = rows[0]!.length;
  if (words < 2) return;
  const hashes = rows.map((row) => row.map(mixed));
  const wholes = Int32Array.from(hashes, (own) => own.reduce((sum, one) => sum ^ one, 0));
  // Open addressing, with room for four times as many.
  const mask = 2 ** Math.ceil(Math.log2(4 * rows.length)) - 1;
  const table = new Int32Array(mask + 1);
  const meet = (a: number, b: number): void => {
    table.fill(-1);
    for (let at = 0; at < rows.length; at++) {
      const own = hashes[at]!;
      let place = (wholes[at]! ^ own[a]! ^ (a === b ? 0 : own[b]!)) & mask;
      while (table[place]! >= 0 && !sameBut(rows[table[place]!]!, rows[at]!, a, b))
        place = (place + 1) & mask;
      if (table[place]! >= 0) join(table[place]!, at);
      else table[place] = at;
    }
  };
  for (let a = 0; a < words; a++) for (let b = a; b < (most < 2 ? a + 1 : words); b++) meet(a, b);
}

/** A word at its place as 32 bits that show nothing of it (the finalizer of MurmurHash3, Appleby 2011). */
function mixed(code: number, at: number): number {
  let hash = Math.imul(code, 0x9e3779b1) ^ Math.imul(at + 1, 0x85ebca77);
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
  return hash ^ (hash >>> 16);
}

function sameBut(one: Int32Array, other: Int32Array, a: number, b: number): boolean {
  for (let at = 0; at < one.length; at++) if (one[at] !== other[at] && at !== a && at !== b) return false;
  return true;
}

/** Parts a set by the positions that are no values, until all that varies is values. */
function resolve(
  members: number[],
  forms: readonly Form[],
  positions: readonly number[],
  groups: WordGroup[],
): void {
  if (members.length < 2) return;
  const words = new Map<number, Set<string>>();
  for (const at of positions) words.set(at, new Set(members.map((member) => forms[member]!.tokens[at]!)));
  const varying = positions.filter((at) => words.get(at)!.size > 1);
  const sample = forms[members[0]!]!;
  const constant = positions.reduce(
    (sum, at) => sum + (words.get(at)!.size === 1 ? weightOf(sample.tokens[at]!) : 0),
    0,
  );
  let least = Infinity;
  let weakest = -1;
  for (const at of varying) {
    const score = scoreOf(sample, at, words, constant);
    // Of positions alike in score the one with fewest words parts the statements.
    if (score < least || (score === least && words.get(at)!.size < words.get(weakest)!.size)) {
      least = score;
      weakest = at;
    }
  }
  if (least >= ENOUGH && constant + (sample.kinds.includes('slot') ? 1 : 0) > 0) {
    groups.push({ members, form: withSlots(sample, new Set(varying)), belief: least / ENOUGH });
    return;
  }
  const parts = new Map<string, number[]>();
  for (const member of members) {
    const word = forms[member]!.tokens[weakest]!;
    const part = parts.get(word);
    if (part) part.push(member);
    else parts.set(word, [member]);
  }
  for (const part of parts.values()) resolve(part, forms, positions, groups);
}

/** How much speaks for the words at a position being values. */
function scoreOf(
  form: Form,
  at: number,
  words: ReadonlyMap<number, ReadonlySet<string>>,
  constant: number,
): number {
  // A key says what its value means; it is never a value itself.
  if (form.kinds[at + 1] === 'gap' && form.tokens[at + 1]!.startsWith('=')) return -10;
  const values = [...words.get(at)!];
  const count = values.length;
  let score = count < 3 ? 0 : count === 3 ? 1 : count === 4 ? 1.5 : count < 8 ? 2.5 : count < 16 ? 4 : 6;
  score += constant < 0.5 ? -3 : constant < 2 ? -1 : constant < 3 ? 0 : constant < 4 ? 0.5 : 1;
  const gap = form.kinds[at - 1] === 'gap' ? form.tokens[at - 1]! : '';
  const before =
    form.kinds[at - 2] === 'word' && (words.get(at - 2)?.size ?? 2) === 1 ? form.tokens[at - 2]! : '';
  if (LEADING_GAP.test(gap)) score += 1.5;
  else if (/^\s$/.test(gap) && LEADS.has(before.toLowerCase())) score += 2;
  if (values.every((value) => /^[A-Z][A-Z0-9_]+$/.test(value)) && !allCapitals(form, at)) score += 1;
  else if (values.filter((value) => /[._0-9-]/.test(value)).length * 2 > count) score += 1;
  else if (insideBrackets(form, at)) score += 1.5;
  if (at === form.kinds.lastIndexOf('word')) score += 0.5;
  if (at === 0) score -= 0.5;
  if (values.every((value) => /(?:ed|ing)$/i.test(value))) score -= 1;
  return score;
}

const allCapitals = (form: Form, except: number): boolean =>
  form.tokens.every(
    (token, at) => at === except || form.kinds[at] !== 'word' || token === token.toUpperCase(),
  );

/** True for a word between brackets that is not the first in them. */
function insideBrackets(form: Form, at: number): boolean {
  for (let index = at - 1; index >= 0; index--) {
    const token = form.tokens[index]!;
    if (form.kinds[index] !== 'gap') continue;
    if (/[)\]}]/.test(token)) return false;
    if (/[([{]/.test(token)) return index < at - 1;
  }
  return false;
}
