export { type AskedOf, type Asks } from './cues.js';
export { type Reading, type Understood, understand } from './understand.js';
export { type Vocabulary } from './words.js';
export { expressionOf, readingText, stepsOf } from './wording.js';
