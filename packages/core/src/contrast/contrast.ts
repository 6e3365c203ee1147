import { differenceInterval } from '../statistics/proportions.js';
import { differenceP, discoveries } from '../statistics/significance.js';
import type { Bits } from './bits.js';
import { type CohortTable, type Column, featureKey, KIND_ORDER } from './table.js';
import { itemsOf, type Sides, type Term, termsOf } from './terms.js';

/** How well one feature tells the cohorts apart, by the term that does so best. */
export interface Difference {
  feature: number;
  term: Term;
  /** Share of the failing that it holds of, less that of the healthy; with the interval that holds it with 95%. */
  apart: number;
  low: number;
  high: number;
  /** Chance of a difference like this where there is none, with all terms of the feature that were tried. */
  p: number;
  /** Terms of other features that hold of nearly the same items. */
  with: Term[];
}

export interface Contrast {
  differences: Difference[];
  setAside: { feature: number; why: 'names single items' | 'is what the cohorts were made by' }[];
}

/** Kinds of terms that a feature may have: single values, sets or ranges, and presence. */
const KINDS = 3;
/** Rate of differences named that may be so by chance. */
const CHANCE = 0.01;
/** Features that name more different values than this part of their items name single ones. */
const IDENTIFIER = 0.5;
const FEW = 20;
/** Correlation of two selections from which on they are one. */
const SAME = 0.95;
/** Differences that are looked at for being the same as others. */
const FOLDED = 80;
/** Failing items that a term has to hold of, at least; or this part of them. */
const SUPPORT = 3;
const SUPPORT_SHARE = 0.02;

export const sidesOf = ({ failing }: CohortTable, of: Uint8Array): Sides => {
  let failingAll = 0;
  let healthyAll = 0;
  for (let item = 0; item < failing.length; item++) {
    if (of[item] === 0) continue;
    if (failing[item] === 1) failingAll++;
    else healthyAll++;
  }
  return { failing, of, failingAll, healthyAll };
};

export const supportFor = ({ failingAll }: Sides): number =>
  Math.max(SUPPORT, Math.ceil(SUPPORT_SHARE * failingAll));

/** True where the values of a feature name single items rather than kinds of them. */
export function namesSingleItems(column: Column): boolean {
  if (column.of !== 'categories') return false;
  const { codes, values } = column;
  if (values.length <= FEW) return false;
  let present = 0;
  let different = 0;
  const met = new Uint8Array(values.length);
  for (let item = 0; item < codes.length; item++) {
    const code = codes[item]!;
    if (code < 0) continue;
    present++;
    if (met[code] === 0) different++;
    met[code] = 1;
  }
  return different > FEW && different > IDENTIFIER * present;
}

/**
 * Which features tell the cohorts apart, the best first: by the lower end of the interval of how much more of the
 * failing than of the healthy their best term holds of. The rate of false ones among those named is held at 1%
 * (Benjamini and Hochberg 1995) over all features, each with all its terms that were tried. Of features that hold
 * of the same items the first is named, the others stand with it.
 *
 * @param defining whether a feature is one that the cohorts were made by
 */
export function contrastOf(
  table: CohortTable,
  defining: (feature: number) => boolean = () => false,
  tell: (done: number, of: number) => void = () => undefined,
): Contrast {
  const { features } = table;
  const sides = sidesOf(table, new Uint8Array(table.failing.length).fill(1));
  const contrast: Contrast = { differences: [], setAside: [] };
  const found: Difference[] = [];
  features.forEach(({ column }, feature) => {
    tell(feature, features.length);
    if (defining(feature)) {
      contrast.setAside.push({ feature, why: 'is what the cohorts were made by' });
      return;
    }
    if (namesSingleItems(column)) {
      contrast.setAside.push({ feature, why: 'names single items' });
      return;
    }
    const [best] = termsOf(feature, column, sides, 1)
      .map((term): Difference => {
        const { failing, healthy, ways } = term;
        const { failingAll, healthyAll } = sides;
        const [low, high] = differenceInterval(failing, failingAll, healthy, healthyAll);
        const apart = failing / Math.max(1, failingAll) - healthy / Math.max(1, healthyAll);
        const p = Math.min(1, KINDS * ways * differenceP(failing, failingAll, healthy, healthyAll));
        return { feature, term, apart, low, high, p, with: [] };
      })
      .sort(byLow);
    if (best) found.push(best);
  });
  const held = discoveries(
    found.map(({ p }) => p),
    CHANCE,
  );
  const order = (a: Difference, b: Difference): number =>
    byLow(a, b) ||
    KIND_ORDER.indexOf(features[a.feature]!.name.kind) - KIND_ORDER.indexOf(features[b.feature]!.name.kind) ||
    (featureKey(features[a.feature]!.name) < featureKey(features[b.feature]!.name) ? -1 : 1);
  const named = found.filter(({ low }, at) => held[at] && low > 0).sort(order);
  const heads: { difference: Difference; items: Bits }[] = [];
  named.forEach((difference, at) => {
    if (at >= FOLDED) {
      contrast.differences.push(difference);
      return;
    }
    const items = itemsOf(difference.term.asks, features[difference.feature]!.column, table.failing.length);
    const head = heads.find((one) => correlationOf(one.items, items) >= SAME);
    if (head) head.difference.with.push(difference.term);
    else {
      heads.push({ difference, items });
      contrast.differences.push(difference);
    }
  });
  return contrast;
}

/** The furthest apart for sure first; to a thousandth, beyond which nothing is told. */
const byLow = (a: Difference, b: Difference): number => Math.round(b.low * 1000) - Math.round(a.low * 1000);

/** The correlation (phi) of two sets of items. */
function correlationOf(a: Bits, b: Bits): number {
  const n = a.length;
  const [p, q, both] = [a.count, b.count, a.shared(b)];
  const spread = Math.sqrt(p * (n - p) * q * (n - q));
  if (spread === 0) return p === q && both === p ? 1 : 0;
  return (n * both - p * q) / spread;
}
