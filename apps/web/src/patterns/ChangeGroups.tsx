import type { PatternChange, PatternsSearchAnswer } from '@flail/contract';
import { fullCount, plural, shortCount } from '../format/numbers.js';
import classes from './patterns.module.css';

/** The four groups that two windows are told apart by, and what each is made of. */
export const GROUPS = [
  { name: 'first seen', changes: ['first seen', 'new here'], title: 'in the focus, not in the baseline' },
  { name: 'ceased', changes: ['ceased'], title: 'in the baseline, not in the focus' },
  { name: 'more', changes: ['more'], title: 'more than in the baseline' },
  { name: 'less', changes: ['less'], title: 'less than in the baseline' },
  { name: 'as before', changes: ['as before'], title: 'as in the baseline' },
] as const satisfies { name: string; changes: readonly PatternChange[]; title: string }[];

interface Props {
  answer: PatternsSearchAnswer;
  chosen: string;
  onChoose: (name: string) => void;
}

/** Patterns and records by how they changed; together they are all that matched. One group can be looked at alone. */
export function ChangeGroups({ answer, chosen, onChoose }: Props) {
  return (
    <div className={classes.groups} role="group" aria-label="How they changed">
      {GROUPS.map(({ name, changes, title }) => {
        const patterns = changes.reduce((sum, change) => sum + answer.changes[change], 0);
        const records = changes.reduce((sum, change) => sum + answer.changedRecords[change].focus, 0);
        const before = changes.reduce((sum, change) => sum + answer.changedRecords[change].baseline, 0);
        return (
          <button
            key={name}
            type="button"
            className={classes.group}
            aria-pressed={chosen === name}
            data-testid="change-group"
            title={`${plural(patterns, 'pattern')} ${title}: ${fullCount(records)} records in focus, ${fullCount(before)} in baseline`}
            onClick={() => onChoose(chosen === name ? '' : name)}
          >
            <b>{fullCount(patterns)}</b> {name}
            <span className={classes.groupRecords}>{shortCount(name === 'ceased' ? before : records)}</span>
          </button>
        );
      })}
    </div>
  );
}
