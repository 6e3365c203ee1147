export { type Contrast, contrastOf, type Difference } from './contrast.js';
export { type Held, type Signature, signaturesOf, type SignatureSearch } from './signature.js';
export {
  type CohortTable,
  type Column,
  type Feature,
  featureKey,
  type FeatureKind,
  type FeatureName,
} from './table.js';
export { type Asks, itemsOf, type Term } from './terms.js';
export { Features } from './features.js';
export {
  addLineFeatures,
  addMetricFeatures,
  addRunFeatures,
  addSpanFeatures,
  type ContrastItem,
} from './request-features.js';
export { addRunItemFeatures } from './run-features.js';
export {
  type EarlyFinding,
  type EarlyLine,
  earlyFindings,
  type TellingValue,
  tellingValues,
} from './before.js';
export { topFrame } from './frame.js';
export { type Verdict, verdictOf } from './verdict.js';
export { termExpression, termsExpression, type ToldTerm } from './expression.js';
