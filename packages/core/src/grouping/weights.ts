import { EVIDENCE } from './evidence.js';

export const WEIGHTS = Float64Array.from(EVIDENCE, () => -1);
