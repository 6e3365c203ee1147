import { Modal } from '@mantine/core';
import { useCorrections, useMarks } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';
import { dayTime } from '../format/times.js';
import { correctionText, markText } from './rules.js';
import type { PatternRules } from './usePatternRules.js';
import classes from './patterns.module.css';

/** Everything that people said about patterns, each of which can be taken back. */
export default function RulesList({ rules, onClose }: { rules: PatternRules; onClose: () => void }) {
  const [{ dataset }] = useViewState();
  const marks = useMarks(dataset).data?.marks.filter(({ undoneAt }) => undoneAt === undefined) ?? [];
  const corrections =
    useCorrections(dataset).data?.corrections.filter(({ undoneAt }) => undoneAt === undefined) ?? [];
  return (
    <Modal opened onClose={onClose} title="Marks and corrections" size="lg">
      {marks.length + corrections.length === 0 && <p>Nothing was marked or corrected yet.</p>}
      <ul className={classes.rules}>
        {marks.map(({ id, rule, at }) => (
          <li key={`mark ${id}`}>
            {markText(rule)}{' '}
            <span className="soft">
              weight {rule.weight}, {dayTime(at)}
            </span>
            <button type="button" className="word" onClick={() => rules.undo('mark', id)}>
              take back
            </button>
          </li>
        ))}
        {corrections.map(({ id, rule, at }) => (
          <li key={`correction ${id}`}>
            {correctionText(rule)} <span className="soft">{dayTime(at)}</span>
            <button type="button" className="word" onClick={() => rules.undo('correction', id)}>
              take back
            </button>
          </li>
        ))}
      </ul>
      <p className="soft">
        Known patterns are ranked down, those worth reading up, by the weight beside them; muted ones are
        hidden and counted. Corrections change how lines are grouped, never the lines.
      </p>
    </Modal>
  );
}
