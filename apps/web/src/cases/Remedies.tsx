import type { CaseContents, RemedyBody } from '@flail/contract';
import { TextInput } from '@mantine/core';
import { Add } from './Add.js';
import classes from './cases.module.css';

/** What is done against it, for now and for good. */
export function Remedies({
  contents,
  onChange,
}: {
  contents: CaseContents;
  onChange: (next: RemedyBody[]) => void;
}) {
  const { remedies } = contents;
  const set = (at: number, change: Partial<RemedyBody>): void =>
    onChange(remedies.map((one, index) => (index === at ? { ...one, ...change } : one)));
  return (
    <>
      {(['temporary', 'lasting'] as const).map((kind) => (
        <div key={kind}>
          <h2>{kind === 'temporary' ? 'For now' : 'For good'}</h2>
          {remedies.map((one, at) =>
            one.kind !== kind ? null : (
              <div key={`${at} ${one.text}`} className={classes.line} data-testid="remedy">
                <span className={classes.grow}>{one.text}</span>
                <TextInput
                  key={one.owner}
                  w={110}
                  aria-label={`Owner of ${one.text}`}
                  placeholder="owner"
                  defaultValue={one.owner}
                  onBlur={({ currentTarget }) =>
                    currentTarget.value !== one.owner && set(at, { owner: currentTarget.value })
                  }
                />
                <label>
                  <input
                    type="checkbox"
                    checked={one.done}
                    onChange={({ currentTarget }) => set(at, { done: currentTarget.checked })}
                  />{' '}
                  done
                </label>
                <label>
                  <input
                    type="checkbox"
                    checked={one.helped}
                    onChange={({ currentTarget }) => set(at, { helped: currentTarget.checked })}
                  />{' '}
                  helped
                </label>
                <button
                  type="button"
                  className="word"
                  onClick={() => onChange(remedies.filter((_, index) => index !== at))}
                >
                  remove
                </button>
              </div>
            ),
          )}
          <Add
            label={kind === 'temporary' ? 'What is done for now' : 'What is to be done for good'}
            onAdd={(text) => onChange([...remedies, { kind, text, owner: '', done: false, helped: false }])}
          />
        </div>
      ))}
    </>
  );
}
