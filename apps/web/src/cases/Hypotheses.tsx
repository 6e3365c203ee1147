import type { CaseContents, HypothesisBody } from '@flail/contract';
import { TextInput } from '@mantine/core';
import { Choice } from '../frame/Choice.js';
import { Add } from './Add.js';
import classes from './cases.module.css';

/** What it may be, and how far that is settled. */
export function Hypotheses({
  contents,
  onChange,
}: {
  contents: CaseContents;
  onChange: (next: HypothesisBody[]) => void;
}) {
  const { hypotheses } = contents;
  const set = (at: number, change: Partial<HypothesisBody>): void =>
    onChange(hypotheses.map((one, index) => (index === at ? { ...one, ...change } : one)));
  return (
    <>
      <h2>Hypotheses</h2>
      {hypotheses.map((one, at) => (
        <div key={`${at} ${one.text}`} className={classes.line} data-testid="hypothesis">
          <Choice
            aria-label={`Verdict on ${one.text}`}
            data={['open', 'likely', 'ruled out']}
            value={one.verdict}
            onChange={(verdict) => set(at, { verdict: verdict })}
          />
          <span className={classes.grow}>{one.text}</span>
          <TextInput
            key={one.why}
            w={200}
            aria-label={`Why, for ${one.text}`}
            placeholder="why"
            defaultValue={one.why}
            onBlur={({ currentTarget }) =>
              currentTarget.value !== one.why && set(at, { why: currentTarget.value })
            }
          />
          <button
            type="button"
            className="word"
            onClick={() => onChange(hypotheses.filter((_, index) => index !== at))}
          >
            remove
          </button>
        </div>
      ))}
      <Add
        label="What it may be"
        onAdd={(text) => onChange([...hypotheses, { text, verdict: 'open', why: '' }])}
      />
    </>
  );
}
