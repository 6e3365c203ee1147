export { type Deviation, deviationOf } from './deviation.js';
export {
  type ChangeNear,
  groupsOf,
  kindOf,
  type Moved,
  type OnsetGroup,
  type OnsetKind,
  type OriginCandidate,
  originsOf,
} from './ladder.js';
