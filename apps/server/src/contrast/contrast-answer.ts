import type { Contrast, Difference, Feature, Held, Signature, Term } from '@flail/core/contrast';
import { verdictOf } from '@flail/core/contrast';
import type { DifferenceBody, FeatureBody, HeldBody, SignatureBody, TermBody } from '@flail/contract';

/** A signature without what only the main thread knows. */
export type SignatureFound = Omit<SignatureBody, 'expression' | 'unsaid' | 'frame'>;

export const featureBody = ({ name }: Feature): FeatureBody => ({ ...name });

export function termBody({ feature, asks }: Term, features: readonly Feature[]): TermBody {
  const own = features[feature]!;
  const { column } = own;
  return {
    feature: featureBody(own),
    is: asks.is,
    ...(asks.is === 'in' &&
      column.of === 'categories' && { values: asks.codes.map((code) => column.values[code]!) }),
    ...(asks.is === 'range' && asks.low !== undefined && { low: asks.low }),
    ...(asks.is === 'range' && asks.high !== undefined && { high: asks.high }),
  };
}

export function differenceBody(
  { term, apart, low, high, p, with: others }: Difference,
  features: readonly Feature[],
  sizes: { failingAll: number; healthyAll: number },
): DifferenceBody {
  return {
    term: termBody(term, features),
    failing: term.failing,
    healthy: term.healthy,
    ...sizes,
    apart,
    low,
    high,
    p,
    with: others.map((other) => termBody(other, features)),
  };
}

export const setAsideBody = ({ setAside }: Contrast, features: readonly Feature[]) =>
  setAside.map(({ feature, why }) => ({ feature: featureBody(features[feature]!), why }));

const heldBody = ({ failing, failingAll, healthy, healthyAll }: Held): HeldBody => ({
  failing,
  failingAll,
  healthy,
  healthyAll,
});

const SAMPLES = 5;

/** A signature with samples of what it holds of, and of what speaks against it. */
export function signatureBody(
  signature: Signature,
  features: readonly Feature[],
  items: { ids: readonly string[]; failing: Uint8Array; times: readonly string[] },
): SignatureFound {
  const { terms, coverage, coverageIn, purity, purityIn, p, check, items: held } = signature;
  const covered: number[] = [];
  const counterHealthy: string[] = [];
  const counterFailing: string[] = [];
  items.ids.forEach((id, item) => {
    const own = items.failing[item] === 1;
    if (held.has(item) && own) covered.push(item);
    else if (held.has(item) && counterHealthy.length < SAMPLES) counterHealthy.push(id);
    else if (own && !held.has(item) && counterFailing.length < SAMPLES) counterFailing.push(id);
  });
  const times = covered.map((item) => items.times[item]!).sort();
  return {
    terms: terms.map((term) => termBody(term, features)),
    ...heldBody(signature),
    coverage,
    coverageIn,
    purity,
    purityIn,
    p,
    verdict: verdictOf(signature),
    check: { ...heldBody(check), verdict: check.verdict },
    firstSeen: times[0] ?? '',
    lastSeen: times.at(-1) ?? '',
    samples: covered.slice(0, SAMPLES).map((item) => items.ids[item]!),
    counterHealthy,
    counterFailing,
  };
}
