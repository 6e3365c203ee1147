import type { LevelName } from '@flail/contract';
import classes from './paired.module.css';

const LETTERS: Record<LevelName, string> = {
  fatal: 'F',
  error: 'E',
  warn: 'W',
  info: 'I',
  debug: 'D',
  trace: 'T',
  unset: '·',
};

/** The letter of a level; colour is never its only sign. */
export const LevelLetter = ({ level }: { level: LevelName }) => (
  <span className={classes.level} data-level={level} title={level === 'unset' ? 'no level given' : level}>
    {LETTERS[level]}
  </span>
);
