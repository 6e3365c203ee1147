import type { CorrectionBody, PatternAnswer, ReadBody } from '@flail/contract';
import { Popover } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { usePatternDetail } from '../api/queries.js';
import { plural } from '../format/numbers.js';
import { Failure, Waiting } from '../states/States.js';
import { sentenceText } from './Sentence.js';
import type { PatternRules } from './usePatternRules.js';
import classes from './detail.module.css';

/** What joined into the pattern, and what it would join next. */
export function Grouping({ id, detail, rules }: { id: string; detail: PatternAnswer; rules: PatternRules }) {
  const { joined, next, forms } = detail;
  const apart = (layout: string): CorrectionBody => ({ kind: 'apart', pattern: id, layout });
  return (
    <section className={classes.part}>
      <h3>How it is grouped</h3>
      <p className={classes.soft}>{plural(forms, 'form')} of lines.</p>
      {joined.slice(0, 8).map(({ layout, sentence, reason }) => (
        <div key={layout} className={classes.form}>
          <code>{sentenceText(sentence)}</code>
          <span className={classes.soft}> joined: {reason} </span>
          <button
            type="button"
            className="word"
            onClick={() => rules.correct(apart(layout), 'Set a form apart.')}
          >
            split off
          </button>
        </div>
      ))}
      {next && (
        <div className={classes.form}>
          <span className={classes.soft}>Nearest: </span>
          <code>{sentenceText(next.sentence)}</code>{' '}
          <button
            type="button"
            className="word"
            onClick={() =>
              rules.correct({ kind: 'join', patterns: [id, next.pattern] }, 'Joined two patterns.')
            }
          >
            join
          </button>
        </div>
      )}
    </section>
  );
}

interface AtRowProps {
  id: string;
  body: ReadBody;
  rules: PatternRules;
  opened: boolean;
  onOpened: (opened: boolean) => void;
}

/** At a row of the list: what the next step of joining or splitting would do there. */
export function GroupingAtRow({ id, body, rules, opened, onOpened }: AtRowProps) {
  return (
    <Popover opened={opened} onChange={onOpened} position="bottom-end" width={520} trapFocus withinPortal>
      <Popover.Target>
        <button type="button" className="word" aria-expanded={opened} onClick={() => onOpened(!opened)}>
          join or split
        </button>
      </Popover.Target>
      <Popover.Dropdown>{opened && <Asked id={id} body={body} rules={rules} />}</Popover.Dropdown>
    </Popover>
  );
}

function Asked({ id, body, rules }: Pick<AtRowProps, 'id' | 'body' | 'rules'>) {
  const client = useQueryClient();
  const detail = usePatternDetail(body, id);
  if (detail.isError) return <Failure error={detail.error} onRetry={() => void detail.refetch()} />;
  if (!detail.data) return <Waiting onCancel={() => void client.cancelQueries({ queryKey: ['pattern'] })} />;
  return <Grouping id={id} detail={detail.data} rules={rules} />;
}
