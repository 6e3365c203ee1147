export { type Burn, budgetLeft, burnOf, type Objective, timeLeft } from './burn.js';
export { chiSquareTail, homogeneityP, type Member, type Spread, spreadOf } from './spread.js';
