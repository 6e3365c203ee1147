export { type AnsweringChange, answeringChanges, type Setting } from './answers.js';
export { type Change, CHANGE_KINDS, type ChangeKind, changeOf, NoChangeError } from './cloud-events.js';
export { type Folded, foldChanges } from './fold.js';
