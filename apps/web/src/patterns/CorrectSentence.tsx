import type { CorrectionBody, PatternAnswer, PatternSummary } from '@flail/contract';
import { Button } from '@mantine/core';
import { useState } from 'react';
import { api } from '../api/client.js';
import { useAsked } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';
import { fullCount, plural } from '../format/numbers.js';
import { wordsOf } from './rules.js';
import classes from './detail.module.css';

interface Props {
  row: PatternSummary;
  detail: PatternAnswer | undefined;
  onCorrect: (rule: CorrectionBody, words: string) => void;
}

/** A sentence whose words and gaps can be pressed: a word becomes a slot, a gap splits the pattern by its values. */
export function CorrectSentence({ row, detail, onCorrect }: Props) {
  const [{ dataset }] = useViewState();
  const [draft, setDraft] = useState<{ rule: CorrectionBody; words: string }>();
  const preview = useAsked(
    ['preview', dataset, draft?.rule],
    () => api.previewCorrection(dataset, draft!.rule),
    draft !== undefined,
  );
  // What another correction would change says nothing of this one.
  const shown = preview.isPlaceholderData ? undefined : preview.data;
  const choose = (rule: CorrectionBody, words: string): void => setDraft({ rule, words });
  return (
    <>
      <p className={classes.sentence} data-selectable>
        {wordsOf(row.sentence).map((part, index) => {
          if ('between' in part) return <span key={index}>{part.between}</span>;
          if ('word' in part) {
            const { text, occurrence } = part.word;
            return (
              <button
                key={index}
                type="button"
                className={classes.word}
                title={`Make “${text}” a slot`}
                onClick={() =>
                  choose({ kind: 'slot', pattern: row.id, word: text, occurrence }, `Made “${text}” a slot.`)
                }
              >
                {text}
              </button>
            );
          }
          const values = detail?.slots[part.slot]?.values.slice(0, 8).map(({ value }) => value);
          return (
            <button
              key={index}
              type="button"
              className={classes.gap}
              title={`${part.type}; split by its values`}
              onClick={() =>
                choose(
                  {
                    kind: 'split',
                    pattern: row.id,
                    slot: part.slot,
                    ...(values && values.length > 0 && { values }),
                  },
                  'Split a pattern by the values of a slot.',
                )
              }
            >
              {part.text.replace(/\s*\n[\s\S]*/, ' …') || '…'}
            </button>
          );
        })}
      </p>
      {draft && (
        <div className={classes.preview} role="status" data-testid="correction">
          {preview.isError
            ? preview.error.message
            : shown
              ? `${draft.rule.kind === 'slot' ? 'Making this word a slot' : 'Splitting by this slot'} makes ${plural(shown.to.length, 'pattern')} of ${fullCount(shown.from.length)}, and touches ${plural(shown.records, 'line')}. No line is changed.`
              : 'Looking at what it would change.'}
          <span className={classes.previewActions}>
            <Button
              disabled={!shown || preview.isError}
              variant="filled"
              onClick={() => {
                onCorrect(draft.rule, draft.words);
                setDraft(undefined);
              }}
            >
              Do it
            </Button>
            <Button onClick={() => setDraft(undefined)}>Leave it</Button>
          </span>
        </div>
      )}
    </>
  );
}
