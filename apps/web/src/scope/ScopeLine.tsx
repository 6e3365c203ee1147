import { checkExpression } from '@flail/core/expression';
import { IconFilter, IconX } from '@tabler/icons-react';
import { useQueryClient } from '@tanstack/react-query';
import { lazy, Suspense, useMemo, useState } from 'react';
import { api } from '../api/client.js';
import { readBody, useCount } from '../api/queries.js';
import { useViewState } from '../context/view-state.js';
import { fullCount } from '../format/numbers.js';
import { noteScope } from './history.js';
import type { Completions } from './language.js';
import { ScopeMenu } from './ScopeMenu.js';
import classes from './scope.module.css';

const HelpSheet = lazy(() => import('./HelpSheet.js'));
const ScopeEditor = lazy(() => import('./ScopeEditor.js'));

/** The one filter that every view obeys, with what it matches. */
export function ScopeLine() {
  const [state, change] = useViewState();
  const [refused, setRefused] = useState<string>();
  const [help, setHelp] = useState(false);
  const client = useQueryClient();
  const count = useCount(readBody(state));
  const span = state.focus && {
    from: new Date(state.focus.from).toISOString(),
    to: new Date(state.focus.to).toISOString(),
  };
  const [from, to] = [span?.from, span?.to];
  const { dataset } = state;
  const completions = useMemo((): Completions => {
    const ask = (field?: string) =>
      client.fetchQuery({
        queryKey: ['complete', dataset, field, from, to],
        queryFn: ({ signal }) =>
          api.complete(
            {
              dataset,
              ...(field !== undefined && { field }),
              ...(from !== undefined && to !== undefined && { from, to }),
            },
            signal,
          ),
        staleTime: 60_000,
      });
    return {
      fields: async () => (await ask()).fields ?? [],
      values: async (field) => (await ask(field)).values ?? [],
    };
  }, [client, dataset, from, to]);

  const submit = (scope: string): void => {
    const problem = checkExpression(scope);
    setRefused(problem && `At character ${problem.from + 1}: ${problem.message}`);
    if (problem) return;
    noteScope(scope.trim());
    change({ scope });
  };

  return (
    <section className={classes.line} aria-label="Scope line">
      <IconFilter size={15} className={classes.icon} aria-hidden />
      <div className={classes.editor}>
        <Suspense
          fallback={
            <input className={classes.waiting} defaultValue={state.scope} aria-label="Scope" readOnly />
          }
        >
          <ScopeEditor value={state.scope} onSubmit={submit} completions={completions} />
        </Suspense>
        {refused !== undefined && (
          <div className={classes.refused} role="alert">
            {refused}
          </div>
        )}
      </div>
      {state.scope !== '' && (
        <button
          type="button"
          className={classes.clear}
          aria-label="Clear the scope"
          onClick={() => {
            setRefused(undefined);
            change({ scope: '' });
          }}
        >
          <IconX size={14} />
        </button>
      )}
      <ScopeMenu onTake={submit} onHelp={() => setHelp(true)} />
      {help && (
        <Suspense fallback={null}>
          <HelpSheet opened onClose={() => setHelp(false)} />
        </Suspense>
      )}
      {count.data && state.focus && (
        <span className={classes.counts} aria-live="polite">
          <b className={classes.focus} data-testid="count-focus">
            {fullCount(count.data.focus)}
          </b>{' '}
          in focus
          {state.baseline && (
            <>
              {' · '}
              <b>{fullCount(count.data.baseline)}</b> in baseline
            </>
          )}
        </span>
      )}
    </section>
  );
}
