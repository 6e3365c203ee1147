import { differenceInterval, shareInterval } from '../statistics/proportions.js';
import { differenceP } from '../statistics/significance.js';
import { Bits } from './bits.js';
import { namesSingleItems, sidesOf, supportFor } from './contrast.js';
import { type CohortTable, featureKey, KIND_ORDER } from './table.js';
import { itemsOf, type Sides, type Term, termsOf } from './terms.js';

/** How many of both cohorts something holds of. */
export interface Held {
  failing: number;
  healthy: number;
  failingAll: number;
  healthyAll: number;
}

/** The smallest description found that fits many of the failing items and few of the healthy. */
export interface Signature extends Held {
  terms: Term[];
  /** Items that it holds of. */
  items: Bits;
  /** Share of the failing that it holds of; with its interval of 95%. */
  coverage: number;
  coverageIn: [low: number, high: number];
  /** Share of the failing among those that it holds of, counted for as many as they stand for. */
  purity: number;
  purityIn: [low: number, high: number];
  /** Chance of something like this where nothing tells the cohorts apart, over all that was tried. */
  p: number;
  /** The same on the part of the items that it was not found on. */
  check: Held & { verdict: 'confirmed' | 'not confirmed' | 'too few to check' };
}

export interface SignatureSearch {
  signatures: Signature[];
  /** Descriptions that were tried. */
  tried: number;
}

/** Descriptions that are carried on from one length to the next. */
const BEAM = 24;
/** Terms that are joined to them. */
const TERMS = 72;
const LONGEST = 3;
/** Each further term has to make a description better by so much. */
const WORTH = 0.01;
const MOST_SIGNATURES = 4;
/** One of so many items is held back for checking. */
const HELD_BACK = 3;
/** With fewer failing items held back there is nothing to check by. */
const ENOUGH_TO_CHECK = 8;
/** A chance above this, over all that was tried, is no finding. */
const CHANCE = 0.01;
/** With fewer failing items than this there is nothing to tell apart, and what holds of fewer is no signature of them. */
const LEAST_FAILING = 5;
/** Failing items that are left, as a part of all, from which another fault is looked for. */
const LEFT = 0.08;

/**
 * The smallest conjunctions of terms that cover most of the failing and few of the healthy: a beam search from
 * general to special (Clark and Niblett 1989), with the failing that a description covers taken out before the
 * next is looked for, as in separate-and-conquer rule learning (Fürnkranz 1999; Lavrač et al. 2004 for subgroups).
 * What is sought has a high F-measure, purity counted for more than coverage (Fürnkranz and Flach 2005
 * compare such measures). Found on two of three items, checked on the third; kept only where chance, over all
 * that was tried, would seldom bring it.
 *
 * @param defining whether a feature is one that the cohorts were made by, or only says that something failed
 */
export function signaturesOf(
  table: CohortTable,
  defining: (feature: number) => boolean = () => false,
  tell: (done: number, of: number) => void = () => undefined,
): SignatureSearch {
  const { features, failing } = table;
  const length = failing.length;
  const every = sidesOf(table, new Uint8Array(length).fill(1));
  if (every.failingAll < LEAST_FAILING) return { signatures: [], tried: 0 };
  const held = Uint8Array.from(table.ids, (id) => (hashOf(id) % HELD_BACK === 0 ? 1 : 0));
  const enough = countOf(failing, held) >= ENOUGH_TO_CHECK;
  const look = enough ? held.map((one) => 1 - one) : new Uint8Array(length).fill(1);
  const usable = features.flatMap(({ name, column }, feature) =>
    defining(feature) || name.kind === 'time' || namesSingleItems(column) ? [] : [feature],
  );
  const signatures: Signature[] = [];
  let tried = 0;
  for (let round = 0; round < MOST_SIGNATURES; round++) {
    tell(round, MOST_SIGNATURES);
    const sides = sidesOf(table, look);
    if (sides.failingAll < Math.max(LEAST_FAILING / 2, LEFT * every.failingAll)) break;
    const found = search(table, usable, sides);
    tried += found.tried;
    if (!found.best) break;
    const signature = judged(table, found.best, every, held, enough, tried);
    // Failing items that it covers have their description; what else is wrong is looked for among the others.
    for (let item = 0; item < length; item++)
      if (failing[item] === 1 && signature.items.has(item)) look[item] = 0;
    const firm = signature.p <= CHANCE && signature.check.verdict !== 'not confirmed';
    if (firm && signature.failing >= LEAST_FAILING) signatures.push(signature);
    else break;
  }
  return { signatures, tried };
}

/** A description while it is sought. */
interface Candidate {
  terms: Term[];
  items: Bits;
  failing: number;
  healthy: number;
  quality: number;
}

function search(
  table: CohortTable,
  usable: readonly number[],
  sides: Sides,
): { best: Candidate | undefined; tried: number } {
  const { features, failing } = table;
  const length = failing.length;
  const ours = Bits.from(length, (item) => failing[item] === 1 && sides.of[item] === 1);
  const theirs = Bits.from(length, (item) => failing[item] === 0 && sides.of[item] === 1);
  // Items that were kept stand for different numbers of others; their cohorts are weighed by that.
  const [ownWeight, otherWeight] = [meanWeight(table, ours), meanWeight(table, theirs)];
  const support = supportFor(sides);
  let tried = 0;
  const singles: Candidate[] = [];
  const candidate = (terms: Term[], items: Bits): Candidate => {
    const own = items.shared(ours);
    const others = items.shared(theirs);
    const quality =
      qualityOf(own / sides.failingAll, own * ownWeight, others * otherWeight) - WORTH * (terms.length - 1);
    return { terms, items, failing: own, healthy: others, quality };
  };
  for (const feature of usable) {
    const { column } = features[feature]!;
    for (const term of termsOf(feature, column, sides, support)) {
      tried++;
      singles.push(candidate([term], itemsOf(term.asks, column, length)));
    }
  }
  const rank = (a: Candidate, b: Candidate): number =>
    b.quality - a.quality ||
    a.terms.length - b.terms.length ||
    keyOf(table, a).localeCompare(keyOf(table, b));
  singles.sort(rank);
  // Terms that hold of most of the failing are worth joining, even where each by itself holds of many healthy too.
  const joined = distinct([
    ...singles.slice(0, TERMS / 2),
    ...[...singles].sort((a, b) => apartOf(b, sides) - apartOf(a, sides) || rank(a, b)).slice(0, TERMS / 2),
  ]);
  let beam = singles.slice(0, BEAM);
  let [best] = beam;
  for (let size = 2; size <= LONGEST; size++) {
    const next: Candidate[] = [];
    const seen = new Set<string>();
    for (const base of distinct([...beam, ...(size === 2 ? joined : [])]))
      for (const {
        terms: [term],
        items,
      } of joined) {
        if (base.terms.some((own) => own.feature === term!.feature)) continue;
        const terms = [...base.terms, term!];
        const key = terms
          .map((own) => termKey(own))
          .sort()
          .join(' ');
        if (seen.has(key)) continue;
        seen.add(key);
        tried++;
        const both = candidate(terms, base.items.and(items));
        if (both.failing >= support && both.quality > base.quality) next.push(both);
      }
    beam = next.sort(rank).slice(0, BEAM);
    if (beam[0] && best && beam[0].quality > best.quality) [best] = beam;
  }
  return { best, tried };
}

const distinct = (candidates: Candidate[]): Candidate[] => [...new Set(candidates)];

const apartOf = ({ failing, healthy }: Candidate, { failingAll, healthyAll }: Sides): number =>
  failing / failingAll - healthy / Math.max(1, healthyAll);

/** The square of how much more coverage counts than purity in the F-measure: less than one, purity counts for more. */
const BETA2 = 0.5;

/** The F-measure of coverage and purity (van Rijsbergen 1979). */
function qualityOf(coverage: number, own: number, others: number): number {
  if (own === 0) return 0;
  const purity = own / (own + others);
  return ((1 + BETA2) * purity * coverage) / (BETA2 * purity + coverage);
}

function judged(
  table: CohortTable,
  { terms, items }: Candidate,
  every: Sides,
  held: Uint8Array,
  enough: boolean,
  tried: number,
): Signature {
  const { failing, weights } = table;
  const whole = heldBy(items, failing, every.of);
  const back = heldBy(items, failing, held);
  let [own, others] = [0, 0];
  for (let item = 0; item < failing.length; item++)
    if (items.has(item)) {
      if (failing[item] === 1) own += weights[item]!;
      else others += weights[item]!;
    }
  const purity = own + others === 0 ? 0 : own / (own + others);
  const covered = whole.failing + whole.healthy;
  const confirmed =
    differenceInterval(back.failing, back.failingAll, back.healthy, back.healthyAll)[0] > 0 &&
    back.failing / back.failingAll >= (0.5 * whole.failing) / whole.failingAll;
  return {
    terms,
    items,
    ...whole,
    coverage: whole.failing / whole.failingAll,
    coverageIn: shareInterval(whole.failing, whole.failingAll),
    purity,
    purityIn: shareInterval(purity * covered, covered),
    p: Math.min(
      1,
      tried *
        terms.reduce((ways, term) => ways * term.ways, 1) *
        differenceP(whole.failing, whole.failingAll, whole.healthy, whole.healthyAll),
    ),
    check: {
      ...back,
      verdict: !enough ? 'too few to check' : confirmed ? 'confirmed' : 'not confirmed',
    },
  };
}

function heldBy(items: Bits, failing: Uint8Array, of: Uint8Array): Held {
  const sum: Held = { failing: 0, healthy: 0, failingAll: 0, healthyAll: 0 };
  for (let item = 0; item < failing.length; item++) {
    if (of[item] === 0) continue;
    const own = failing[item] === 1;
    if (own) sum.failingAll++;
    else sum.healthyAll++;
    if (!items.has(item)) continue;
    if (own) sum.failing++;
    else sum.healthy++;
  }
  return sum;
}

const countOf = (failing: Uint8Array, of: Uint8Array): number =>
  failing.reduce((sum, one, item) => sum + (one === 1 && of[item] === 1 ? 1 : 0), 0);

function meanWeight({ weights }: CohortTable, items: Bits): number {
  let sum = 0;
  let count = 0;
  for (let item = 0; item < weights.length; item++)
    if (items.has(item)) {
      sum += weights[item]!;
      count++;
    }
  return count === 0 ? 1 : sum / count;
}

const termKey = ({ feature, asks }: Term): string => `${feature}:${JSON.stringify(asks)}`;

/** Of equals what is easier to read comes first: fields before what was derived. */
const keyOf = ({ features }: CohortTable, { terms }: Candidate): string =>
  terms
    .map(({ feature, asks }) => {
      const { name } = features[feature]!;
      return `${KIND_ORDER.indexOf(name.kind)} ${featureKey(name)} ${JSON.stringify(asks)}`;
    })
    .sort()
    .join('|');

/** FNV-1a, so that the same items are held back at every run. */
function hashOf(text: string): number {
  let hash = 0x811c9dc5;
  for (let at = 0; at < text.length; at++) hash = Math.imul(hash ^ text.charCodeAt(at), 0x01000193);
  return hash >>> 0;
}
