export { type Contrast, contrastOf, type Difference } from './contrast.js';
export { type Held, type Signature, signaturesOf, type SignatureSearch } from './signature.js';
export { type CohortTable, type Column, type Feature, featureKey, type FeatureKind, type FeatureName } from './table.js';
export { type Asks, itemsOf, type Term } from './terms.js';
